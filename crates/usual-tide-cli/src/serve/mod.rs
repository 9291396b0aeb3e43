//! `usual-tide serve`: a source over HTTP and Server-Sent Events, on a network as bad as is asked for.

mod event;
mod faults;
mod guard;
mod hub;
mod listen;
mod reply;
mod routes;
mod write;

use crate::args::Serve;
use crate::error::CommandError;
use crate::input::{self, Origin};
use crate::output::Output;
use faults::Faults;
use hub::Hub;
use std::net::{IpAddr, Ipv4Addr, SocketAddr};
use std::sync::{Arc, Mutex};
use std::time::Duration;

/// How often the source is asked whether others have changed it.
const POLL: Duration = Duration::from_millis(100);

pub(crate) fn run(serve: &Serve, out: &mut Output) -> Result<(), CommandError> {
    let failed = |why: &dyn std::fmt::Display| CommandError::Serve {
        source_text: input::shown(&serve.source),
        why: why.to_string(),
    };
    let origin = Origin::of(&serve.source)?;
    let key = input::key(&serve.key.key)?;
    let source = origin.source(&key)?;
    let hub = Hub::open(source, &key).map_err(|why| failed(&why))?;
    let rows = hub.len();
    let host = serve.host.unwrap_or(IpAddr::V4(Ipv4Addr::LOCALHOST));
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .enable_all()
        .build()
        .map_err(|why| failed(&why))?;
    let served = runtime.block_on(async {
        let listener = tokio::net::TcpListener::bind(SocketAddr::new(host, serve.port)).await?;
        let address = listener.local_addr()?;
        let app = Arc::new(routes::App {
            hub: Mutex::new(hub),
            most_bytes: serve.most_bytes,
            read_only: serve.read_only,
            key_way: key_way(&key.to_string()),
            faults: Faults::new(serve),
            guard: guard::Guard::new(address, &serve.allow_host),
        });
        let told = format!(
            "{} at http://{address}/ ({}); stop it with Ctrl-C\n",
            input::shown(&serve.source),
            crate::output::counted(rows, "item", "items"),
        );
        out.text(&told)
            .and_then(|()| out.finish())
            .map_err(std::io::Error::other)?;
        tokio::spawn(follow(Arc::clone(&app)));
        listen::serve(listener, app, serve.connections).await;
        Ok::<(), std::io::Error>(())
    });
    // A source that does not come back is left behind.
    runtime.shutdown_timeout(Duration::from_secs(1));
    served.map_err(|why| failed(&why))
}

/// A key's name as the names that lead to it: dotted, or a JSON Pointer.
fn key_way(name: &str) -> Vec<String> {
    let parts = match name.strip_prefix('/') {
        Some(pointer) => pointer.split('/'),
        None => return name.split('.').map(str::to_owned).collect(),
    };
    parts
        .map(|part| part.replace("~1", "/").replace("~0", "~"))
        .collect()
}

/// Tells what other programs change at the source.
async fn follow(app: Arc<routes::App>) {
    loop {
        tokio::time::sleep(POLL).await;
        let app = Arc::clone(&app);
        let done = tokio::task::spawn_blocking(move || app.hub().refresh()).await;
        if let Ok(Err(error)) = done {
            tracing::warn!(%error, "the source cannot be read");
        }
    }
}
