//! A server without a network, over items in memory, for the fuzz targets.

use super::faults::Faults;
use super::hub::Hub;
use super::listen::{ClientAddress, Permit};
use super::lists::ListLimits;
use super::{guard, routes};
use crate::args::{Arguments, Command};
use axum::body::{Body, to_bytes};
use axum::http::{Request, header};
use clap::Parser;
use std::hash::RandomState;
use std::net::{IpAddr, Ipv4Addr, SocketAddr};
use std::sync::Arc;
use std::time::Duration;
use tokio::runtime::{Builder, Runtime};
use tokio::sync::{Semaphore, watch};
use tower::ServiceExt;
use usual_tide::Item;
use usual_tide::record::{FieldName, Record};
use usual_tide::writes::Write;
use usual_tide_sources::link::{Answer, Loaded, Loading, Source, SourceError};

/// Items that are kept in memory.
struct Memory(Vec<Record>);

impl Source<Record> for Memory {
    fn load(&mut self, _: &mut Loading<'_>) -> Result<Loaded<Record>, SourceError> {
        Ok(Loaded::all(self.0.clone()))
    }

    fn write(&mut self, write: &Write<Record>) -> Result<Answer<Record>, SourceError> {
        let at = self.0.iter().position(|item| *item.key() == write.key);
        match (at, write.after.as_deref()) {
            (Some(at), Some(item)) => self.0[at] = item.clone(),
            (Some(at), None) => drop(self.0.remove(at)),
            (None, item) => self.0.extend(item.cloned()),
        }
        Ok(Answer::Saved)
    }
}

/// What is asked of the server.
#[derive(Debug)]
pub struct Asked<'a> {
    /// GET, POST, …
    pub method: &'a str,
    /// The path with what comes after it.
    pub address: &'a str,
    /// Names and values.
    pub headers: Vec<(&'a str, &'a str)>,
    /// What is sent.
    pub body: &'a [u8],
}

/// What the server answers.
#[derive(Debug)]
pub struct Answered {
    /// The status.
    pub status: u16,
    /// The kind of the body.
    pub kind: String,
    /// The body; that of a stream is not read.
    pub body: Vec<u8>,
}

/// A server that is asked without a network.
#[allow(missing_debug_implementations)]
pub struct TestServer {
    app: Arc<routes::App>,
    router: axum::Router,
    runtime: Runtime,
    _running: watch::Sender<bool>,
}

impl TestServer {
    /// A server of these items, whose key is the field `id`.
    ///
    /// # Errors
    ///
    /// What keeps it from being started.
    pub fn new(items: Vec<Record>) -> Result<Self, Box<dyn std::error::Error + Send + Sync>> {
        let arguments = Arguments::try_parse_from(["usual-tide", "serve", "-"])?;
        let Command::Serve(serve) = arguments.command else {
            return Err("the options of `serve` have changed".into());
        };
        let key = FieldName::parse("id")?;
        let limits = ListLimits {
            lists: 4,
            lists_of_client: 3,
            rows: 50,
            unused: Duration::from_secs(60),
        };
        let address = SocketAddr::from((Ipv4Addr::LOCALHOST, 8090));
        let app = Arc::new(routes::App {
            hub: Hub::open(Memory(items), &key, limits)?,
            most_bytes: serve.most_bytes,
            no_writes: false,
            source_name: "pieces".to_owned(),
            streams: Arc::new(Semaphore::new(4)),
            hasher: RandomState::new(),
            key_members: key.members().to_vec(),
            faults: Faults::new(&serve),
            guard: guard::Guard::new(address, &[]),
        });
        let (running, stopped) = watch::channel(false);
        Ok(Self {
            router: routes::router(Arc::clone(&app), stopped),
            app,
            runtime: Builder::new_current_thread().enable_all().build()?,
            _running: running,
        })
    }

    /// Asks; nothing is answered to what is no request of HTTP.
    pub fn ask(&self, asked: &Asked<'_>) -> Option<Answered> {
        let mut request = Request::builder()
            .method(asked.method)
            .uri(asked.address)
            .header(header::HOST, "127.0.0.1:8090");
        for (name, value) in &asked.headers {
            request = request.header(*name, *value);
        }
        let mut request = request.body(Body::from(asked.body.to_vec())).ok()?;
        let client = ClientAddress(IpAddr::V4(Ipv4Addr::LOCALHOST));
        request.extensions_mut().insert(client);
        let permit = Permit::new(None);
        request.extensions_mut().insert(permit);
        let answered = self.runtime.block_on(async {
            let Ok(response) = self.router.clone().oneshot(request).await;
            let (head, body) = response.into_parts();
            let kind = head.headers.get(header::CONTENT_TYPE);
            let kind = kind.and_then(|kind| kind.to_str().ok()).unwrap_or_default();
            let body = match kind {
                "text/event-stream" => Vec::new(),
                _ => to_bytes(body, usize::MAX).await.ok()?.to_vec(),
            };
            Some(Answered {
                status: head.status.as_u16(),
                kind: kind.to_owned(),
                body,
            })
        })?;
        let checked = self.app.hub.shown().store.check();
        assert!(checked.is_ok(), "{checked:?} after {asked:?}");
        Some(answered)
    }
}
