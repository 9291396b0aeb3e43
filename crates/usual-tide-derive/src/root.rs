//! Where the library is.

use proc_macro2::{Group, TokenStream, TokenTree};
use quote::ToTokens;
use syn::Path;

/// The same tokens with each path into `::usual_tide` leading through another one: the library can be known to an app by another
/// name, or through a crate that hands it on.
pub(crate) fn rooted(tokens: TokenStream, root: Option<&Path>) -> TokenStream {
    match root {
        Some(root) => replaced(tokens, &root.to_token_stream()),
        None => tokens,
    }
}

fn replaced(tokens: TokenStream, root: &TokenStream) -> TokenStream {
    let mut replaced = Vec::new();
    for token in tokens {
        match token {
            TokenTree::Group(group) => {
                let inner = self::replaced(group.stream(), root);
                let mut copy = Group::new(group.delimiter(), inner);
                copy.set_span(group.span());
                replaced.push(TokenTree::Group(copy));
            }
            TokenTree::Ident(name) if name == "usual_tide" && ends_in_colons(&replaced) => {
                replaced.truncate(replaced.len() - 2);
                replaced.extend(root.clone());
            }
            other => replaced.push(other),
        }
    }
    replaced.into_iter().collect()
}

fn ends_in_colons(tokens: &[TokenTree]) -> bool {
    let is_colon =
        |token: &TokenTree| matches!(token, TokenTree::Punct(mark) if mark.as_char() == ':');
    tokens
        .last_chunk::<2>()
        .is_some_and(|last| last.iter().all(is_colon))
}

#[cfg(test)]
mod tests {
    use crate::{expand, field_value};
    use syn::parse_quote;

    /// No path into the library leads anywhere else, in any of the derives.
    #[test]
    fn each_path_leads_through_the_crate_that_is_named() {
        let derived = [
            expand::item(&parse_quote! {
                #[item(crate = crate::lists)]
                struct Piece<V> {
                    #[item(key)]
                    id: u32,
                    #[item(nested)]
                    fee: Option<Fee>,
                    #[item(skip)]
                    drawing: V,
                    #[item(text)]
                    address: Option<V>,
                }
            }),
            expand::nested(&parse_quote! {
                #[item(crate = crate::lists, json = shown)]
                struct Fee { amount: u32 }
            }),
            field_value::field_value(&parse_quote! {
                #[item(crate = crate::lists)]
                enum Firing { Bisque, Glaze }
            }),
            field_value::field_value(&parse_quote! {
                #[item(crate = crate::lists)]
                struct Shelf<V>(V);
            }),
        ];
        for derived in derived {
            let written = derived.unwrap_or_default().to_string();
            assert!(written.contains("crate :: lists :: "), "{written}");
            assert!(!written.contains("usual_tide"), "{written}");
        }
    }
}
