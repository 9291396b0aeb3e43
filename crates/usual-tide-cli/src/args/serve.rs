//! Options of `usual-tide serve`.

use super::ItemOptions;
use clap::{Args, ValueEnum};
use std::net::SocketAddr;

/// What to serve, to whom, and how badly.
#[derive(Args, Debug)]
pub(crate) struct Serve {
    /// A file, `sqlite:PATH?table=NAME&order=COLUMN`, `sqlite:PATH?query=SQL`, or another server, `http://…`
    /// or `https://…`.
    pub(crate) source: String,
    #[command(flatten)]
    pub(crate) items: ItemOptions,
    /// The address and the port to listen at; port 0 for any that is free. Without an address of another kind only
    /// programs on this machine can ask.
    #[arg(long, value_name = "ADDRESS:PORT", default_value = "127.0.0.1:8090")]
    pub(crate) listen: SocketAddr,
    /// A name under which the server may be asked too, with its port unless that is 80; can be given again.
    #[arg(long, value_name = "HOST[:PORT]")]
    pub(crate) allow_host: Vec<String>,
    /// Refuse all writes.
    #[arg(long)]
    pub(crate) no_writes: bool,
    /// What to tell on standard error: errors, what needs attention, each request, or more.
    #[arg(long, value_enum, value_name = "LEVEL", default_value_t)]
    pub(crate) log: LogLevel,
    /// Connections at the same time, streams of events apart; more wait.
    #[arg(long, value_name = "N", default_value_t = 128, value_parser = connections)]
    pub(crate) connections: usize,
    /// Streams of events at the same time; more are refused.
    #[arg(long, value_name = "N", default_value_t = 1000, value_parser = connections)]
    pub(crate) event_streams: usize,
    /// Lists that are kept for clients at the same time; more are refused.
    #[arg(long, value_name = "N", default_value_t = 1000, value_parser = connections)]
    pub(crate) lists: usize,
    /// Lists of one address; more are refused.
    #[arg(long, value_name = "N", default_value_t = 100, value_parser = connections)]
    pub(crate) lists_of_client: usize,
    /// Rows that a list may have: larger ones are read by windows.
    #[arg(long, value_name = "N", default_value_t = 10_000, value_parser = rows)]
    pub(crate) list_rows: usize,
    /// Close a list that nobody has read for so many seconds.
    #[arg(long, value_name = "SECONDS", default_value_t = 120, value_parser = clap::value_parser!(u64).range(1..=86_400))]
    pub(crate) list_unused: u64,
    /// The largest body of a request, in bytes.
    #[arg(long, value_name = "BYTES", default_value_t = 1 << 20)]
    pub(crate) most_bytes: usize,
    /// Answer so many milliseconds late, or by chance between two numbers.
    #[arg(long, value_name = "MS[..MS]", value_parser = latency)]
    pub(crate) latency: Option<(u64, u64)>,
    /// Refuse every n-th write.
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..))]
    pub(crate) refuse_every: Option<u64>,
    /// Answer every n-th write that somebody was faster.
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..))]
    pub(crate) conflict_every: Option<u64>,
    /// Fail on every n-th request.
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..))]
    pub(crate) fail_every: Option<u64>,
    /// Cut the connection at every n-th request: before it is carried out, the next time after that.
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..))]
    pub(crate) drop_every: Option<u64>,
    /// Answer every n-th request with nonsense.
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..))]
    pub(crate) garble_every: Option<u64>,
}

/// How much is told of what happens.
#[derive(Clone, Copy, PartialEq, Eq, Default, Debug, ValueEnum)]
pub(crate) enum LogLevel {
    /// Nothing.
    Off,
    /// What was lost, or may be.
    Error,
    /// Also a source that cannot be read, and that can be again.
    #[default]
    Warn,
    /// Also each request, and each simulated fault.
    Info,
    /// Also what is of use to whoever mends this program.
    Debug,
}

fn connections(text: &str) -> Result<usize, String> {
    let number = text.parse::<usize>().map_err(|why| why.to_string())?;
    match (1..=10_000).contains(&number) {
        true => Ok(number),
        false => Err("it can be 1 to 10000".to_owned()),
    }
}

fn rows(text: &str) -> Result<usize, String> {
    let number = text.parse::<usize>().map_err(|why| why.to_string())?;
    match (1..=1_000_000).contains(&number) {
        true => Ok(number),
        false => Err("it can be 1 to 1000000".to_owned()),
    }
}

fn latency(text: &str) -> Result<(u64, u64), String> {
    let number = |text: &str| {
        text.parse::<u64>()
            .map_err(|why| format!("{text:?}: {why}"))
    };
    let (least, most) = text.split_once("..").unwrap_or((text, text));
    let (least, most) = (number(least)?, number(most)?);
    match least <= most {
        true => Ok((least, most)),
        false => Err("the first number is the larger one".to_owned()),
    }
}
