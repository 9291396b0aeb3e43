//! What can be asked of lists.

use super::stream;
use super::{ListRefusal, Lists, Positions};
use crate::input::QueryTexts;
use crate::serve::hub::ServedItems;
use crate::serve::listen::{ClientAddress, Permit};
use crate::serve::reply::Reply;
use crate::serve::routes::{App, Asked, Named, Stopped, body_of, last_id, on_thread};
use axum::body::Body;
use axum::extract::{Extension, Request, State};
use axum::http::{HeaderMap, Response};
use serde_json::Value;
use std::net::IpAddr;
use std::sync::Arc;
use usual_tide::Store;
use usual_tide::lists::PreparedList;
use usual_tide::record::Record;

impl From<ListRefusal> for Reply {
    fn from(why: ListRefusal) -> Self {
        Self::problem(why.status(), why.to_string())
    }
}

fn json(status: u16, body: &Value) -> Reply {
    Reply {
        status,
        kind: "application/json",
        body: body.to_string().into_bytes(),
        ..Reply::default()
    }
}

/// How a stream of change sets is asked for.
#[derive(serde::Deserialize)]
pub(in crate::serve) struct Wanted {
    #[serde(rename = "last-event-id")]
    last_event_id: Option<String>,
    #[serde(default)]
    by: Positions,
}

/// Works with the lists, unless the items are out of date; then answers, while others may read.
fn with_lists<R>(
    app: &App,
    work: impl FnOnce(&mut Lists, &mut Store<Record>) -> Result<R, ListRefusal>,
    answer: impl FnOnce(&ServedItems, R) -> Result<Reply, ListRefusal>,
) -> Reply {
    let done = app.hub.with_lists(|shown: &mut ServedItems| {
        if let Some(why) = shown.trouble() {
            return Err(Box::new(Reply::problem(503, why)));
        }
        work(&mut shown.lists, &mut shown.store).map_err(|why| Box::new(Reply::from(why)))
    });
    match done {
        Ok(done) => answer(&app.hub.shown(), done).unwrap_or_else(Reply::from),
        Err(refused) => *refused,
    }
}

/// Finds the rows of a list that nobody has yet, while others may read; none where a client has it, or where there is no
/// room for it.
fn prepared(
    app: &App,
    texts: &QueryTexts,
    client: IpAddr,
) -> Result<Option<PreparedList<Record>>, ListRefusal> {
    let shown = app.hub.shown();
    let Some(query) = shown.lists.new_query(&shown.store, texts, client)? else {
        return Ok(None);
    };
    drop(shown);
    app.hub
        .with_lists(|shown| shown.store.prepare_query(&query));
    Ok(Some(app.hub.shown().store.prepare_list(query)))
}

/// The query in a body; without a body all items in their order.
async fn query_of(app: &App, headers: &HeaderMap, body: Body) -> Result<QueryTexts, Box<Reply>> {
    let body = body_of(app, headers, body).await?;
    let text = std::str::from_utf8(&body)
        .map_err(|why| Reply::problem(400, format!("the body is no text: {why}")))?;
    match text.trim() {
        "" => Ok(QueryTexts::default()),
        text => crate::script::query(text)
            .map_err(|why| Reply::problem(400, format!("the body is no query: {why}")).into()),
    }
}

pub(in crate::serve) async fn open(
    State(app): State<Arc<App>>,
    Extension(ClientAddress(client)): Extension<ClientAddress>,
    request: Request,
) -> Response<Body> {
    let (head, body) = request.into_parts();
    let texts = match query_of(&app, &head.headers, body).await {
        Ok(texts) => texts,
        Err(refused) => return refused.into_response(),
    };
    on_thread(app, move |app| {
        let prepared = prepared(app, &texts, client);
        with_lists(
            app,
            |lists, store| lists.open(store, texts, client, prepared?),
            |shown, name| {
                Ok(Reply {
                    location: Some(format!("/lists/{name}")),
                    ..json(201, &shown.lists.rows(&shown.store, &name)?)
                })
            },
        )
    })
    .await
}

pub(in crate::serve) async fn rows(
    State(app): State<Arc<App>>,
    Named(name): Named,
) -> Response<Body> {
    on_thread(app, move |app| {
        let shown = app.hub.shown();
        if let Some(why) = shown.trouble() {
            return Reply::problem(503, why);
        }
        let rows = shown.lists.rows(&shown.store, &name);
        rows.map_or_else(Reply::from, |rows| json(200, &rows))
    })
    .await
}

pub(in crate::serve) async fn change(
    State(app): State<Arc<App>>,
    Named(name): Named,
    request: Request,
) -> Response<Body> {
    let (head, body) = request.into_parts();
    let texts = match query_of(&app, &head.headers, body).await {
        Ok(texts) => texts,
        Err(refused) => return refused.into_response(),
    };
    // Nothing to change: the same answer, and no stream is woken.
    if texts == QueryTexts::default() {
        return on_thread(app, move |app| {
            let shown = app.hub.shown();
            let told = shown.lists.summary(&shown.store, &name);
            told.map_or_else(Reply::from, |told| json(200, &told))
        })
        .await;
    }
    on_thread(app, move |app| {
        with_lists(
            app,
            |lists, store| {
                lists.change(store, &name, texts)?;
                lists.summary(store, &name)
            },
            |_, told| Ok(json(200, &told)),
        )
    })
    .await
}

pub(in crate::serve) async fn close(
    State(app): State<Arc<App>>,
    Named(name): Named,
) -> Response<Body> {
    on_thread(app, move |app| {
        with_lists(
            app,
            |lists, store| lists.close(store, &name),
            |_, ()| {
                Ok(Reply {
                    status: 204,
                    ..Reply::default()
                })
            },
        )
    })
    .await
}

pub(in crate::serve) async fn changes(
    State(app): State<Arc<App>>,
    Named(name): Named,
    headers: HeaderMap,
    Asked(wanted): Asked<Wanted>,
    Extension(stopped): Extension<Stopped>,
    Extension(permit): Extension<Permit>,
) -> Response<Body> {
    if let Err(why) = app.hub.shown().lists.known(&name) {
        return Reply::from(why).into_response();
    }
    let Ok(place) = Arc::clone(&app.streams).try_acquire_owned() else {
        let why = "there are as many streams of events as the server has room for";
        return Reply::problem(503, why).into_response();
    };
    // A stream takes no place from other requests.
    permit.give_back();
    let version = last_id(&headers, wanted.last_event_id);
    let version = version.map(|id| id.parse::<u64>().unwrap_or(u64::MAX));
    stream::response(app, name, (version, wanted.by), stopped, place)
}
