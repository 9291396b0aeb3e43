//! Sources that are servers.

use crate::args::ItemOptions;
use crate::error::CommandError;
use usual_tide::record::FieldName;
use usual_tide_sources::http::{HttpOptions, HttpSource};

/// The items of a server, asked for with the headers and the token of the options.
pub(super) fn source(
    address: &str,
    options: &ItemOptions,
    key: &FieldName,
) -> Result<HttpSource, CommandError> {
    let mut headers = options.headers().unwrap_or_default();
    if let Some(token) = token(options)? {
        headers.push(("Authorization".to_owned(), format!("Bearer {token}")));
    }
    let asked = HttpOptions::default().headers(headers);
    Ok(HttpSource::with(address, key, asked))
}

/// The token that a server asks for: from a file, or else from the environment. It is in no message.
fn token(options: &ItemOptions) -> Result<Option<String>, CommandError> {
    let token = match &options.token_file {
        Some(file) => std::fs::read_to_string(file).map_err(|why| CommandError::Token {
            file: file.display().to_string(),
            why: why.to_string(),
        })?,
        None => std::env::var("USUAL_TIDE_TOKEN").unwrap_or_default(),
    };
    let token = token.trim();
    let is_token = token.bytes().all(|byte| byte.is_ascii_graphic());
    match (token.is_empty(), is_token) {
        (true, _) => Ok(None),
        (false, true) => Ok(Some(token.to_owned())),
        (false, false) => Err(CommandError::Token {
            file: "the token".to_owned(),
            why: "a token has no blanks, and ASCII characters only".to_owned(),
        }),
    }
}
