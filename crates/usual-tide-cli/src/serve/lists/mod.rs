//! Lists that the server keeps for its clients: each client gets the rows once, and change sets from then on.
//!
//! Clients with the same query share one bound list, and what is written of its change sets.

mod client;
pub(super) mod routes;
mod shared;
mod stream;

use crate::error::CommandError;
use crate::input::{QueryContext, QueryTexts};
use client::ClientList;
pub(super) use client::Missed;
use serde_json::Value;
pub(super) use shared::Positions;
use shared::SharedList;
use std::collections::HashMap;
use std::net::IpAddr;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use usual_tide::lists::PreparedList;
use usual_tide::record::Record;
use usual_tide::{Query, Store};

/// What lists there may be.
#[derive(Clone, Copy, Debug)]
pub(super) struct ListLimits {
    /// Lists in all.
    pub(super) lists: usize,
    /// Lists of one address.
    pub(super) lists_of_client: usize,
    /// Rows of a list.
    pub(super) rows: usize,
    /// How long a list is kept that nobody reads.
    pub(super) unused: Duration,
}

/// Why a list is not opened or changed.
#[derive(Debug, thiserror::Error)]
pub(super) enum ListRefusal {
    #[error(
        "there is no list {0:?}: it was closed, or nobody has read it for a while; open it again"
    )]
    Unknown(String),
    #[error("there are {0} lists, as many as the server has room for")]
    TooMany(usize),
    #[error("this address has {0} lists, as many as one may have: close one, or change its query")]
    TooManyOfClient(usize),
    #[error("take is {asked}: a list of this server has at most {most} rows")]
    TooManyRows { asked: usize, most: usize },
    #[error("{}", told(.0))]
    Query(#[from] Box<CommandError>),
}

impl ListRefusal {
    pub(super) fn status(&self) -> u16 {
        match self {
            Self::Unknown(_) => 404,
            Self::TooMany(_) => 503,
            Self::TooManyOfClient(_) => 429,
            Self::TooManyRows { .. } | Self::Query(_) => 422,
        }
    }
}

/// What is wrong with a query, by the member of its JSON.
fn told(why: &CommandError) -> String {
    match why {
        CommandError::Filter(why) => format!("filter: {why}"),
        CommandError::Sort(why) => format!("sort: {why}"),
        CommandError::Group(why) => format!("group: {why}"),
        // Here it is a member, not an option.
        why => why.to_string().trim_start_matches("--").to_owned(),
    }
}

impl From<CommandError> for ListRefusal {
    fn from(why: CommandError) -> Self {
        Self::Query(Box::new(why))
    }
}

/// Texts of totals whose fields are remembered.
const MOST_CONTEXTS: usize = 4;

/// The lists of all clients.
#[derive(Debug)]
pub(super) struct Lists {
    limits: ListLimits,
    shared: HashMap<u64, SharedList>,
    by_query: HashMap<QueryTexts, u64>,
    next_shared: u64,
    clients: HashMap<String, ClientList>,
    /// What fields the items have, found out when a query first names one; for each text of totals, the last one first.
    contexts: Mutex<Vec<(Option<String>, QueryContext)>>,
}

impl Lists {
    pub(super) fn new(limits: ListLimits) -> Self {
        Self {
            limits,
            shared: HashMap::new(),
            by_query: HashMap::new(),
            next_shared: 0,
            clients: HashMap::new(),
            contexts: Mutex::default(),
        }
    }

    /// The query of a list that nobody has yet; none where a client has it, or where there is no room for it.
    pub(super) fn new_query(
        &self,
        store: &Store<Record>,
        texts: &QueryTexts,
        client: IpAddr,
    ) -> Result<Option<Query<Record>>, ListRefusal> {
        let texts = self.within_bounds(texts.clone())?;
        if self.room_for(client).is_err() || self.by_query.contains_key(&texts) {
            return Ok(None);
        }
        self.query(store, &texts).map(Some)
    }

    /// Opens a list for a client; gives its name. Its rows may have been found before.
    pub(super) fn open(
        &mut self,
        store: &mut Store<Record>,
        texts: QueryTexts,
        client: IpAddr,
        prepared: Option<PreparedList<Record>>,
    ) -> Result<String, ListRefusal> {
        self.close_unused(store);
        self.room_for(client)?;
        let texts = self.within_bounds(texts)?;
        let shared = self.shared_with(store, texts, prepared)?;
        let name = format!("{:016x}", fastrand::u64(..));
        self.clients
            .insert(name.clone(), ClientList::new(shared, client));
        if let Some(list) = self.shared.get_mut(&shared) {
            list.clients.push(name.clone());
        }
        Ok(name)
    }

    /// Whether a client may have one more list.
    fn room_for(&self, client: IpAddr) -> Result<(), ListRefusal> {
        let limits = self.limits;
        if self.clients.len() >= limits.lists {
            return Err(ListRefusal::TooMany(limits.lists));
        }
        let of_client = self.clients.values().filter(|list| list.client == client);
        if of_client.count() >= limits.lists_of_client {
            return Err(ListRefusal::TooManyOfClient(limits.lists_of_client));
        }
        Ok(())
    }

    pub(super) fn close(
        &mut self,
        store: &mut Store<Record>,
        name: &str,
    ) -> Result<(), ListRefusal> {
        let client = self.clients.remove(name);
        let client = client.ok_or_else(|| ListRefusal::Unknown(name.to_owned()))?;
        self.leave(store, client.shared, name)
    }

    /// Changes parts of a list's query. What makes the rows after it of those before is told as one change set.
    pub(super) fn change(
        &mut self,
        store: &mut Store<Record>,
        name: &str,
        texts: QueryTexts,
    ) -> Result<(), ListRefusal> {
        let from = self.client(name)?.shared;
        let before = self.shared.get(&from).map(|list| list.texts.clone());
        let before = before.unwrap_or_default();
        let texts = self.within_bounds(before.clone().changed_by(texts))?;
        if texts == before {
            return Ok(());
        }
        let query = self.query(store, &texts)?;
        let is_alone = self
            .shared
            .get(&from)
            .is_some_and(|list| list.clients.len() == 1);
        let known = self.by_query.get(&texts).copied();
        if let (true, None, Some(list)) = (is_alone, known, self.shared.get_mut(&from)) {
            // Nobody else sees it: the list itself is changed.
            store
                .list_mut(list.list)
                .map_err(CommandError::from)?
                .set_query(query);
            self.by_query.remove(&list.texts);
            list.texts = texts.clone();
            self.by_query.insert(texts, from);
            return self.publish_list(store, from);
        }
        // The others keep theirs: a list of its own goes the way from the one query to the other.
        let old = store.bind(self.query(store, &before)?);
        let mut own = SharedList::of(store, old, texts.clone()).map_err(ListRefusal::from)?;
        store
            .list_mut(own.list)
            .map_err(CommandError::from)?
            .set_query(query);
        let changes = own.read(store)?;
        let to = match known {
            Some(known) => {
                own.unbind(store)?;
                known
            }
            None => {
                let number = self.next_shared;
                self.next_shared += 1;
                self.shared.insert(number, own);
                self.by_query.insert(texts, number);
                number
            }
        };
        if let Some(list) = self.shared.get_mut(&to) {
            list.clients.push(name.to_owned());
        }
        if let Some(client) = self.clients.get_mut(name) {
            client.shared = to;
            if let Some(changes) = changes {
                client.push(changes);
            }
        }
        self.leave(store, from, name)
    }

    /// The rows of a list as they are, with its version: what change sets go on from.
    pub(super) fn rows(&self, store: &Store<Record>, name: &str) -> Result<Value, ListRefusal> {
        let client = self.client(name)?;
        client.touch();
        let shared = self.shared.get(&client.shared);
        let shared = shared.ok_or_else(|| ListRefusal::Unknown(name.to_owned()))?;
        Ok(shared.rows(store, name, client.version)?)
    }

    /// The same without the rows.
    pub(super) fn summary(&self, store: &Store<Record>, name: &str) -> Result<Value, ListRefusal> {
        let client = self.client(name)?;
        client.touch();
        let shared = self.shared.get(&client.shared);
        let shared = shared.ok_or_else(|| ListRefusal::Unknown(name.to_owned()))?;
        Ok(shared.summary(store, name, client.version)?)
    }

    /// How many items a list would have without its window.
    pub(super) fn matching(&self, store: &Store<Record>, name: &str) -> Result<usize, ListRefusal> {
        let shared = self.shared.get(&self.client(name)?.shared);
        let shared = shared.ok_or_else(|| ListRefusal::Unknown(name.to_owned()))?;
        let rows = store.list(shared.list).map_err(CommandError::from)?;
        Ok(rows.matching())
    }

    /// Whether there is such a list.
    pub(super) fn known(&self, name: &str) -> Result<(), ListRefusal> {
        self.client(name).map(drop)
    }

    /// What a client has missed that has this version of its list.
    pub(super) fn after(
        &self,
        store: &Store<Record>,
        name: &str,
        version: Option<u64>,
        positions: Positions,
    ) -> Result<Missed, ListRefusal> {
        let client = self.client(name)?;
        client.touch();
        let shared = self.shared.get(&client.shared);
        let shared = shared.ok_or_else(|| ListRefusal::Unknown(name.to_owned()))?;
        let rows = store.list(shared.list).map_err(CommandError::from)?;
        let missed = match version {
            Some(version) => client.after(version, &rows, positions),
            None => None,
        };
        match missed {
            Some(missed) => Ok(missed),
            None => Ok(Missed::Rows(
                client.version,
                self.rows(store, name)?.to_string(),
            )),
        }
    }

    /// Tells every list what has changed.
    pub(super) fn publish(&mut self, store: &Store<Record>) {
        let numbers: Vec<u64> = self.shared.keys().copied().collect();
        for number in numbers {
            if let Err(why) = self.publish_list(store, number) {
                tracing::error!(%why, "a list cannot be read");
            }
        }
    }

    fn publish_list(&mut self, store: &Store<Record>, number: u64) -> Result<(), ListRefusal> {
        let Some(list) = self.shared.get_mut(&number) else {
            return Ok(());
        };
        let Some(changes) = list.read(store)? else {
            return Ok(());
        };
        for name in &list.clients {
            if let Some(client) = self.clients.get_mut(name) {
                client.push(Arc::clone(&changes));
            }
        }
        Ok(())
    }

    /// Closes the lists that nobody has read for a while.
    pub(super) fn close_unused(&mut self, store: &mut Store<Record>) {
        let now = Instant::now();
        let unused = self.clients.iter();
        let unused = unused.filter(|(_, list)| list.is_unused(now, self.limits.unused));
        let names: Vec<String> = unused.map(|(name, _)| name.clone()).collect();
        for name in names {
            tracing::debug!(name, "nobody reads this list: it is closed");
            if let Err(why) = self.close(store, &name) {
                tracing::error!(%why, "a list cannot be closed");
            }
        }
    }

    /// A stream of a list's change sets has begun, or ended.
    pub(super) fn note_stream(&self, name: &str, begins: bool) {
        if let Some(client) = self.clients.get(name) {
            client.note_stream(begins);
        }
    }

    fn client(&self, name: &str) -> Result<&ClientList, ListRefusal> {
        let client = self.clients.get(name);
        client.ok_or_else(|| ListRefusal::Unknown(name.to_owned()))
    }

    /// A list that asks for too many rows is refused; one that asks for no number of them gets as many as there may be.
    fn within_bounds(&self, mut texts: QueryTexts) -> Result<QueryTexts, ListRefusal> {
        let most = self.limits.rows;
        match texts.take {
            Some(asked) if asked > most => Err(ListRefusal::TooManyRows { asked, most }),
            Some(_) => Ok(texts),
            None => {
                texts.take = Some(most);
                Ok(texts)
            }
        }
    }

    fn shared_with(
        &mut self,
        store: &mut Store<Record>,
        texts: QueryTexts,
        prepared: Option<PreparedList<Record>>,
    ) -> Result<u64, ListRefusal> {
        if let Some(known) = self.by_query.get(&texts) {
            return Ok(*known);
        }
        let list = match prepared {
            Some(prepared) => store.bind_prepared(prepared),
            None => store.bind(self.query(store, &texts)?),
        };
        let list = SharedList::of(store, list, texts.clone())?;
        let number = self.next_shared;
        self.next_shared += 1;
        self.shared.insert(number, list);
        self.by_query.insert(texts, number);
        Ok(number)
    }

    /// A client has nothing to do with a shared list any more; the last one closes it.
    fn leave(
        &mut self,
        store: &mut Store<Record>,
        shared: u64,
        name: &str,
    ) -> Result<(), ListRefusal> {
        let Some(list) = self.shared.get_mut(&shared) else {
            return Ok(());
        };
        list.clients.retain(|client| client != name);
        if list.clients.is_empty()
            && let Some(list) = self.shared.remove(&shared)
        {
            self.by_query.remove(&list.texts);
            list.unbind(store)?;
        }
        Ok(())
    }

    fn query(
        &self,
        store: &Store<Record>,
        texts: &QueryTexts,
    ) -> Result<Query<Record>, ListRefusal> {
        let options = texts.options(&crate::args::QueryOptions::default())?;
        let contexts = || self.contexts.lock().unwrap_or_else(PoisonError::into_inner);
        let known = {
            let contexts = contexts();
            let known = contexts.iter().find(|known| known.0 == texts.totals);
            known.map(|(_, context)| context.change(Query::new(), texts))
        };
        if let Some(Ok(query)) = known {
            return Ok(query);
        }
        // A field may have come with items that were added since.
        let context = QueryContext::new(&options, store.items().map(|item| &**item))?;
        let query = context.change(Query::new(), texts);
        let mut known = contexts();
        known.retain(|known| known.0 != texts.totals);
        known.truncate(MOST_CONTEXTS - 1);
        known.insert(0, (texts.totals.clone(), context));
        Ok(query?)
    }
}
