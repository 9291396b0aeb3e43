//! Who may ask: a page of another site must not reach a server on this machine through somebody's browser.

use axum::http::{HeaderMap, HeaderName, header};
use std::net::SocketAddr;

/// The names under which the server is asked.
#[derive(Debug)]
pub(super) struct Guard {
    hosts: Vec<String>,
}

/// Why a request is turned away.
#[derive(Debug)]
pub(super) struct Rejection {
    pub(super) status: u16,
    pub(super) why: String,
}

impl Guard {
    pub(super) fn new(address: SocketAddr, allowed: &[String]) -> Self {
        let mut hosts = vec![address.to_string()];
        if address.ip().is_loopback() {
            let port = address.port();
            hosts.extend(["localhost", "127.0.0.1", "[::1]"].map(|name| format!("{name}:{port}")));
        }
        hosts.extend(allowed.iter().cloned());
        let hosts = hosts.iter().map(|host| with_port(host, "80")).collect();
        Self { hosts }
    }

    /// Why a request is turned away, when it is.
    pub(super) fn rejection(&self, headers: &HeaderMap) -> Option<Rejection> {
        let (host, origin) = match (
            single(headers, header::HOST),
            single(headers, header::ORIGIN),
        ) {
            (Err(why), _) | (_, Err(why)) => return Some(Rejection { status: 400, why }),
            (Ok(host), Ok(origin)) => (host.unwrap_or_default(), origin),
        };
        let is_known = |host: &str, port: &str| self.hosts.contains(&with_port(host, port));
        let refused = |why: String| Some(Rejection { status: 403, why });
        if !is_known(host, "80") {
            return refused(format!("this server is not {host:?} (see --allow-host)"));
        }
        let origin = origin?;
        let known = match (
            origin.strip_prefix("http://"),
            origin.strip_prefix("https://"),
        ) {
            (Some(site), _) => is_known(site, "80"),
            // behind a proxy that speaks HTTPS.
            (None, Some(site)) => is_known(site, "443") || is_known(site, "80"),
            (None, None) => false,
        };
        match known {
            true => None,
            false => refused(format!(
                "a page of {origin:?} may not ask (see --allow-host)"
            )),
        }
    }
}

/// A header that may come once at most.
fn single(headers: &HeaderMap, name: HeaderName) -> Result<Option<&str>, String> {
    let mut values = headers.get_all(&name).iter();
    let first = values.next();
    if values.next().is_some() {
        return Err(format!("the header {name} comes more than once"));
    }
    let text = first.map(|value| value.to_str());
    text.transpose()
        .map_err(|_| format!("the header {name} is no plain text"))
}

/// A host in small letters with its port.
fn with_port(host: &str, port: &str) -> String {
    let host = host.to_ascii_lowercase();
    let behind = host
        .rsplit_once(':')
        .filter(|(_, port)| !port.is_empty() && port.bytes().all(|byte| byte.is_ascii_digit()));
    match behind {
        Some(_) => host,
        None => format!("{}:{port}", host.trim_end_matches(':')),
    }
}
