//! Who may ask: a page of another site must not reach a server on this machine through somebody's browser.

use axum::http::{HeaderMap, header};
use std::net::SocketAddr;

/// The names under which the server is asked.
#[derive(Debug)]
pub(super) struct Guard {
    hosts: Vec<String>,
}

impl Guard {
    pub(super) fn new(address: SocketAddr, allowed: &[String]) -> Self {
        let mut hosts = vec![address.to_string()];
        if address.ip().is_loopback() {
            let port = address.port();
            hosts.extend(["localhost", "127.0.0.1", "[::1]"].map(|name| format!("{name}:{port}")));
        }
        hosts.extend(allowed.iter().map(|host| host.to_ascii_lowercase()));
        Self { hosts }
    }

    /// Why a request is turned away, when it is.
    pub(super) fn objection(&self, headers: &HeaderMap) -> Option<String> {
        let text = |name| headers.get(name).map(|value| value.to_str().unwrap_or("?"));
        let is_known = |host: &str| self.hosts.contains(&host.to_ascii_lowercase());
        let host = text(header::HOST).unwrap_or_default();
        if !is_known(host) {
            return Some(format!("this server is not {host:?} (see --allow-host)"));
        }
        let origin = text(header::ORIGIN)?;
        let site = origin
            .strip_prefix("http://")
            .or(origin.strip_prefix("https://"));
        match site.is_some_and(is_known) {
            true => None,
            false => Some(format!(
                "a page of {origin:?} may not ask (see --allow-host)"
            )),
        }
    }
}
