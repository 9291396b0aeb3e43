//! Lists and their queries.

use super::list::WorkedList;
use super::{Done, Engine, Refusal, read};
use crate::browse::columns::Columns;
use crate::browse::messages::{ListNumber, News};
use crate::error::CommandError;
use crate::input::{QueryContext, QueryTexts};
use std::sync::Arc;
use usual_tide::record::Record;
use usual_tide::sections::SectionKey;
use usual_tide::{Query, Store};

/// A query in JSON.
pub(super) fn also(text: &str) -> Result<QueryTexts, CommandError> {
    crate::script::query(text).map_err(|why| CommandError::Also(Box::new(why)))
}

impl Engine {
    /// Binds the lists that are wanted, once the items are there and their fields are known.
    pub(super) fn prepare(&mut self) -> Result<(), CommandError> {
        self.learn_fields()?;
        for texts in std::mem::take(&mut self.wanted) {
            self.bind(texts)?;
        }
        Ok(())
    }

    /// Finds out what fields the items have, and tells it.
    pub(super) fn learn_fields(&mut self) -> Result<(), CommandError> {
        let options = &self.options;
        let chosen = options.columns.as_ref().map(|names| names.0.as_slice());
        let key = &self.key;
        let (context, columns) = read(&self.store, |store| {
            let context = QueryContext::new(&options.query, store.items().map(|item| &**item))?;
            let columns = Columns::new(context.schema(), chosen, key, store);
            Ok((context, columns))
        })?;
        (self.context, self.columns) = (Arc::new(context), Arc::new(columns));
        self.news.push(News::Fields {
            columns: Arc::clone(&self.columns),
            context: Arc::clone(&self.context),
        });
        Ok(())
    }

    fn query(
        &self,
        query: Query<Record>,
        texts: &QueryTexts,
    ) -> Result<Query<Record>, CommandError> {
        let mut query = match texts.totals {
            None => self.context.change(query, texts)?,
            Some(_) => {
                let options = texts.options(&self.options.query)?;
                let context = read(&self.store, |store| {
                    QueryContext::new(&options, store.items().map(|item| &**item))
                })?;
                context.change(query, texts)?
            }
        };
        if self.options.query.numbered {
            query = query.numbered();
        }
        // A row that is moved under another heading gets what that heading says.
        if let Some(group) = query.grouping().cloned() {
            query = query.group(group.regroup());
        }
        Ok(query)
    }

    fn bind(&mut self, texts: QueryTexts) -> Result<(), CommandError> {
        let query = self.query(Query::new(), &texts)?;
        let number = self.next_list;
        let failed = |why: usual_tide::shared::SharedError| {
            CommandError::origin("the store", why.to_string())
        };
        let bound = self
            .store
            .edit(|store| WorkedList::new(number, query, texts, store));
        self.lists.push(bound.map_err(failed)??);
        self.next_list += 1;
        Ok(())
    }

    /// Makes the text of the items ready to be searched, so that the first letter is answered as fast as the others.
    pub(super) fn prepare_search(&mut self) -> Done {
        let search = self.context.search("");
        self.store.edit(|store| store.prepare_search(&search))?;
        Ok(None)
    }

    pub(super) fn add_list(&mut self, texts: QueryTexts) -> Result<(), Refusal> {
        Ok(self.bind(texts)?)
    }

    pub(super) fn close_list(&mut self, number: ListNumber) -> Done {
        if self.lists.len() < 2 {
            return Err(Refusal("it is the only list".to_owned()));
        }
        let list = self.list_mut(number)?.list;
        self.store.edit(|store| store.unbind(list))??;
        self.lists.retain(|list| list.number != number);
        self.news.push(News::Closed(number));
        Ok(None)
    }

    pub(super) fn change_query(&mut self, number: ListNumber, texts: QueryTexts) -> Done {
        let (list, before) = {
            let list = self.list_mut(number)?;
            (list.list, list.texts.clone())
        };
        let old = self
            .store
            .read(|store| Ok::<_, CommandError>(store.list(list)?.query().clone()))??;
        let query = match self.query(old.clone(), &texts) {
            Ok(query) => query,
            // A field may have come with items that were loaded or added since.
            Err(_) => {
                self.learn_fields()?;
                self.query(old, &texts)?
            }
        };
        self.store.edit(|store| -> Result<(), Refusal> {
            store.list_mut(list)?.set_query(query);
            Ok(())
        })??;
        self.why = told(&before, &texts);
        let list = self.list_mut(number)?;
        list.texts = before.changed_by(texts);
        list.touch();
        Ok(None)
    }

    pub(super) fn collapse(&mut self, number: ListNumber, section: &SectionKey) -> Done {
        let list = self.list_mut(number)?.list;
        let collapsed = self.store.edit(|store| -> Result<bool, Refusal> {
            let mut list = store.list_mut(list)?;
            let collapsed = list.collapse(section)?;
            if !collapsed {
                list.expand(section)?;
            }
            Ok(collapsed)
        })??;
        self.why = match collapsed {
            true => "a section collapsed",
            false => "a section expanded",
        }
        .to_owned();
        Ok(None)
    }

    pub(super) fn collapse_all(&mut self, number: ListNumber, collapsed: bool) -> Done {
        let list = self.list_mut(number)?.list;
        let change = |store: &mut Store<Record>| -> Result<bool, Refusal> {
            let mut list = store.list_mut(list)?;
            Ok(match collapsed {
                true => list.collapse_all(),
                false => list.expand_all(),
            })
        };
        self.store.edit(change)??;
        self.why = match collapsed {
            true => "all sections collapsed",
            false => "all sections expanded",
        }
        .to_owned();
        Ok(None)
    }
}

/// What of a query is another.
fn told(before: &QueryTexts, texts: &QueryTexts) -> String {
    let parts = [
        ("search", &before.search, &texts.search),
        ("filter", &before.filter, &texts.filter),
        ("sort", &before.sort, &texts.sort),
        ("group", &before.group, &texts.group),
    ];
    let told = parts.into_iter().filter_map(|(name, before, text)| {
        let text = text.as_deref()?.trim();
        match text {
            "" => before.as_ref().map(|_| format!("no {name}")),
            _ => Some(format!("{name} {text}")),
        }
    });
    told.collect::<Vec<_>>().join(", ")
}
