//! Conditions of requests: `If-Match` and `If-None-Match` (RFC 9110, section 13.1).

use super::reply::Reply;
use axum::http::{HeaderMap, HeaderName, header};

/// Which versions a request is for.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(super) enum Tags {
    /// Any that there is.
    Any,
    /// These; each with whether it is weak.
    These(Vec<(bool, String)>),
}

/// The conditions of a request.
#[derive(Clone, PartialEq, Eq, Default, Debug)]
pub(super) struct Conditions {
    pub(super) matches: Option<Tags>,
    pub(super) matches_not: Option<Tags>,
}

impl Conditions {
    /// Reads the headers; a condition that cannot be read is refused, since it would be passed over.
    pub(super) fn of(headers: &HeaderMap) -> Result<Self, Box<Reply>> {
        Ok(Self {
            matches: tags(headers, header::IF_MATCH)?,
            matches_not: tags(headers, header::IF_NONE_MATCH)?,
        })
    }

    /// Whether the version that is there, if one is, may be written to.
    pub(super) fn allow(&self, version: Option<&str>) -> bool {
        let matches = self.matches.as_ref();
        let matches_not = self.matches_not.as_ref();
        matches.is_none_or(|tags| tags.hold(version, true))
            && matches_not.is_none_or(|tags| !tags.hold(version, false))
    }

    /// Whether whoever asks has this version already.
    pub(super) fn has(&self, version: &str) -> bool {
        let tags = self.matches_not.as_ref();
        tags.is_some_and(|tags| tags.hold(Some(version), false))
    }
}

impl Tags {
    /// Whether a version is one of these; a strong comparison takes no weak tag.
    fn hold(&self, version: Option<&str>, strong: bool) -> bool {
        match (self, version) {
            (_, None) => false,
            (Self::Any, Some(_)) => true,
            (Self::These(tags), Some(version)) => tags
                .iter()
                .any(|(weak, tag)| tag == version && !(strong && *weak)),
        }
    }
}

fn tags(headers: &HeaderMap, name: HeaderName) -> Result<Option<Tags>, Box<Reply>> {
    let mut read = Vec::new();
    let mut any = false;
    let why = || format!("the header {name} is no list of entity tags");
    let bad = || Box::new(Reply::problem(400, why()));
    let mut values = headers.get_all(&name).iter().peekable();
    if values.peek().is_none() {
        return Ok(None);
    }
    for value in values {
        let mut rest = value.to_str().map_err(|_| bad())?.trim();
        if rest == "*" {
            any = true;
            continue;
        }
        while !rest.is_empty() {
            let (weak, tag) = match rest.strip_prefix("W/") {
                Some(tag) => (true, tag),
                None => (false, rest),
            };
            let inner = tag.strip_prefix('"').ok_or_else(bad)?;
            let (inner, behind) = inner.split_once('"').ok_or_else(bad)?;
            read.push((weak, format!("\"{inner}\"")));
            let behind = behind.trim_start();
            rest = match behind.strip_prefix(',') {
                Some(next) => next.trim_start(),
                None if behind.is_empty() => behind,
                None => return Err(bad()),
            };
        }
    }
    match (any, read.is_empty()) {
        (true, true) => Ok(Some(Tags::Any)),
        (false, false) => Ok(Some(Tags::These(read))),
        _ => Err(bad()),
    }
}
