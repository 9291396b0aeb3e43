//! Options of `usual-tide serve`.

use super::KeyOption;
use clap::Args;
use std::net::IpAddr;

/// What to serve, to whom, and how badly.
#[derive(Args, Debug)]
pub(crate) struct Serve {
    /// A file, `sqlite:PATH?table=NAME&order=COLUMN`, `sqlite:PATH?query=SQL`, or another server, `http://…`.
    pub(crate) source: String,
    #[command(flatten)]
    pub(crate) key: KeyOption,
    /// The port; 0 for any that is free.
    #[arg(long, default_value_t = 8090)]
    pub(crate) port: u16,
    /// The address to listen at; this machine's own without, so that no other machine can ask.
    #[arg(long, value_name = "ADDRESS")]
    pub(crate) host: Option<IpAddr>,
    /// A name, with its port, under which the server may be asked too; can be given again.
    #[arg(long, value_name = "HOST:PORT")]
    pub(crate) allow_host: Vec<String>,
    /// Refuse all writes.
    #[arg(long)]
    pub(crate) read_only: bool,
    /// Connections at the same time; more wait.
    #[arg(long, value_name = "N", default_value_t = 128, value_parser = connections)]
    pub(crate) connections: usize,
    /// The largest body of a request, in bytes.
    #[arg(long, value_name = "BYTES", default_value_t = 1 << 20)]
    pub(crate) most_bytes: usize,
    /// Answer so many milliseconds late, or by chance between two numbers.
    #[arg(long, value_name = "MS[..MS]", value_parser = delay)]
    pub(crate) delay: Option<(u64, u64)>,
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

fn connections(text: &str) -> Result<usize, String> {
    let number = text.parse::<usize>().map_err(|why| why.to_string())?;
    match (1..=10_000).contains(&number) {
        true => Ok(number),
        false => Err("it can be 1 to 10000".to_owned()),
    }
}

fn delay(text: &str) -> Result<(u64, u64), String> {
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
