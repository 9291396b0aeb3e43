//! Connections.

use super::faults::Cut;
use super::page::is_of_page;
use super::routes::{self, App};
use axum::body::Body;
use axum::http::{Request, Response};
use hyper::body::Incoming;
use hyper::service::service_fn;
use hyper_util::rt::{TokioIo, TokioTimer};
use std::net::IpAddr;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::net::TcpListener;
use tokio::sync::{OwnedSemaphorePermit, Semaphore, watch};
use tokio_io_timeout::TimeoutStream;
use tower::ServiceExt;

/// How long a client may take to say what it wants.
const HEADER_TIME: Duration = Duration::from_secs(10);

/// How long answers under way may take when the server is stopped.
const LAST_ANSWERS: Duration = Duration::from_secs(5);

/// How long a client may take to read what it was sent.
const READ_TIME: Duration = Duration::from_secs(20);

/// A connection's place among those that there may be at the same time, until it is given back.
#[derive(Clone, Debug)]
pub(super) struct Permit(Arc<Mutex<Option<OwnedSemaphorePermit>>>);

impl Permit {
    /// A connection's place.
    pub(super) fn new(place: Option<OwnedSemaphorePermit>) -> Self {
        Self(Arc::new(Mutex::new(place)))
    }

    /// Lets another connection have the place.
    pub(super) fn give_back(&self) {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).take();
    }
}

/// Where a request comes from.
#[derive(Clone, Copy, Debug)]
pub(super) struct ClientAddress(pub(super) IpAddr);

/// The connection is cut on purpose.
#[derive(Debug, thiserror::Error)]
#[error("the connection is cut")]
struct CutOff;

/// Serves until a signal comes; then answers what is under way, and returns.
pub(super) async fn serve(listener: TcpListener, app: Arc<App>, connections: usize) {
    let places = Arc::new(Semaphore::new(connections));
    let (stopping, stopped) = watch::channel(false);
    let router = routes::router(Arc::clone(&app), stopped.clone());
    let mut signal = std::pin::pin!(signal());
    loop {
        // With no place free, others wait to be accepted.
        let accepted = async {
            let place = Arc::clone(&places).acquire_owned().await;
            (place, listener.accept().await)
        };
        let (place, accepted) = tokio::select! {
            accepted = accepted => accepted,
            () = &mut signal => break,
        };
        let Ok(place) = place else { break };
        let permit = Permit::new(Some(place));
        let Ok((stream, client)) = accepted else {
            tokio::time::sleep(Duration::from_millis(50)).await;
            continue;
        };
        let (router, app, mut stopped) = (router.clone(), Arc::clone(&app), stopped.clone());
        tokio::spawn(async move {
            let service = service_fn(move |mut request: Request<Incoming>| {
                let (router, app) = (router.clone(), Arc::clone(&app));
                request.extensions_mut().insert(permit.clone());
                let client = ClientAddress(client.ip());
                request.extensions_mut().insert(client);
                async move { answer(&app, router, request).await }
            });
            let mut stream = TimeoutStream::new(stream);
            stream.set_write_timeout(Some(READ_TIME));
            let stream = Box::pin(stream);
            let mut http = hyper::server::conn::http1::Builder::new();
            http.timer(TokioTimer::new())
                .header_read_timeout(HEADER_TIME);
            let connection = http.serve_connection(TokioIo::new(stream), service);
            let mut connection = std::pin::pin!(connection);
            let stopped = async move {
                let _ = stopped.wait_for(|stopped| *stopped).await;
            };
            let mut stopped = std::pin::pin!(stopped);
            let ended = tokio::select! {
                ended = connection.as_mut() => Some(ended),
                () = stopped.as_mut() => None,
            };
            let ended = match ended {
                Some(ended) => ended,
                None => {
                    connection.as_mut().graceful_shutdown();
                    connection.await
                }
            };
            if let Err(error) = ended {
                tracing::debug!(%error, "a connection has ended");
            }
        });
    }
    let _ = stopping.send(true);
    let all = u32::try_from(connections).unwrap_or(u32::MAX);
    let ended = tokio::time::timeout(LAST_ANSWERS, places.acquire_many(all)).await;
    if ended.is_err() {
        tracing::warn!("some answers were not read to their end");
    }
}

async fn answer(
    app: &App,
    router: axum::Router,
    request: Request<Incoming>,
) -> Result<Response<Body>, CutOff> {
    let cut = match is_of_page(request.uri().path()) {
        true => None,
        false => app.faults.cut(),
    };
    if let Some(cut) = cut {
        tracing::info!(?cut, "cutting a connection on purpose");
    }
    if let Some(delay) = app.faults.latency() {
        tokio::time::sleep(delay).await;
    }
    if cut == Some(Cut::Before) {
        return Err(CutOff);
    }
    let answered = router.oneshot(request.map(Body::new)).await;
    match cut {
        Some(Cut::After) => Err(CutOff),
        _ => answered.map_err(|never| match never {}),
    }
}

/// Waits for Ctrl-C, or for being asked to end.
async fn signal() {
    #[cfg(unix)]
    if let Ok(mut ended) = tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate())
    {
        tokio::select! {
            _ = tokio::signal::ctrl_c() => {}
            _ = ended.recv() => {}
        }
        return;
    }
    let _ = tokio::signal::ctrl_c().await;
}
