//! `usual-tide serve`: a source over HTTP and Server-Sent Events, on a network as bad as is asked for.

mod answers;
mod event;
mod faults;
#[cfg(fuzzing)]
mod fuzzing;
mod guard;
mod hub;
mod listen;
mod lists;
mod log;
mod page;
mod reply;
mod routes;
mod stream;
mod tags;
mod write;

#[cfg(fuzzing)]
pub use fuzzing::{Answered, Asked, TestServer};

use crate::args::{LogLevel, Serve};
use crate::error::CommandError;
use crate::input::{self, Origin};
use crate::output::Output;
use faults::Faults;
use hub::Hub;
use std::hash::RandomState;
use std::net::SocketAddr;
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::Semaphore;

/// How often the source is asked whether others have changed it.
const POLL: Duration = Duration::from_millis(100);

pub(crate) fn run(serve: &Serve, out: &mut Output) -> Result<(), CommandError> {
    let failed = |why: &dyn std::fmt::Display| CommandError::Serve {
        source_text: input::shown(&serve.source),
        why: why.to_string(),
    };
    let origin = Origin::of(&serve.source)?;
    let (source, key) = origin.source(&serve.items)?;
    begin_log(serve.log);
    let limits = lists::ListLimits {
        lists: serve.lists,
        lists_of_client: serve.lists_of_client,
        rows: serve.list_rows,
        unused: Duration::from_secs(serve.list_unused),
    };
    let hub = Hub::open(source, &key, limits).map_err(|why| failed(&why))?;
    let rows = hub.shown().store.len();
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .enable_all()
        .build()
        .map_err(|why| failed(&why))?;
    let served = runtime.block_on(async {
        let listener = tokio::net::TcpListener::bind(serve.listen).await;
        let listener = listener.map_err(|why| cannot_listen(serve.listen, &why))?;
        let address = listener.local_addr()?;
        let app = Arc::new(routes::App {
            hub,
            most_bytes: serve.most_bytes,
            no_writes: serve.no_writes,
            source_name: source_name(&serve.source),
            streams: Arc::new(Semaphore::new(serve.event_streams)),
            hasher: RandomState::new(),
            key_members: key.members().to_vec(),
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
    // A source that does not return in time is abandoned.
    runtime.shutdown_timeout(Duration::from_secs(1));
    served.map_err(|why| failed(&why))
}

/// A source as a heading has it: the name of a file without the folders that lead to it.
fn source_name(source: &str) -> String {
    let name = input::shown(source);
    match name.contains("://") || name.starts_with("sqlite:") {
        true => name,
        false => {
            let file = std::path::Path::new(&name).file_name();
            file.map_or(name.clone(), |file| file.to_string_lossy().into_owned())
        }
    }
}

/// Tells what happens on standard error, as far as that is asked for.
fn begin_log(level: LogLevel) {
    use tracing_subscriber::filter::LevelFilter;
    let level = match level {
        LogLevel::Off => LevelFilter::OFF,
        LogLevel::Error => LevelFilter::ERROR,
        LogLevel::Warn => LevelFilter::WARN,
        LogLevel::Info => LevelFilter::INFO,
        LogLevel::Debug => LevelFilter::DEBUG,
    };
    let log = tracing_subscriber::fmt()
        .with_max_level(level)
        .with_target(false)
        .with_ansi(std::io::IsTerminal::is_terminal(&std::io::stderr()))
        .with_writer(std::io::stderr);
    // Nothing else tells what happens here.
    let _ = log.try_init();
}

/// Why an address cannot be listened at, with the address and what to do.
fn cannot_listen(address: SocketAddr, why: &std::io::Error) -> std::io::Error {
    let told = match why.kind() {
        std::io::ErrorKind::AddrInUse => format!(
            "another program listens at {address}; choose another port with --listen {}:PORT",
            address.ip()
        ),
        std::io::ErrorKind::PermissionDenied => {
            format!("the system does not let this program listen at {address}")
        }
        _ => format!("{address} cannot be listened at: {why}"),
    };
    std::io::Error::new(why.kind(), told)
}

/// Tells what other programs change at the source.
async fn follow(app: Arc<routes::App>) {
    loop {
        tokio::time::sleep(POLL).await;
        let app = Arc::clone(&app);
        let done = tokio::task::spawn_blocking(move || {
            let mut writer = app.hub.writer();
            // What goes wrong is noted there, once.
            let _ = app.hub.refresh(&mut writer);
            drop(writer);
            app.hub.close_unused_lists();
        });
        let _ = done.await;
    }
}
