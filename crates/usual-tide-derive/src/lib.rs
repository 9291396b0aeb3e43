//! `#[derive(Item)]` for the `usual-tide` crate, which re-exports it. Documented there.

mod expand;

use proc_macro::TokenStream;

/// Implements `usual_tide::Item` for a struct with named fields.
///
/// Mark the field that is the key with `#[item(key)]`. Each field gets an accessor as a constant of
/// the type, named after the field in capitals (`Piece::HEIGHT_MM`), which queries take in place of
/// closures. Fields that differ between two versions are named by their names.
#[proc_macro_derive(Item, attributes(item))]
pub fn derive_item(input: TokenStream) -> TokenStream {
    let input = syn::parse_macro_input!(input as syn::DeriveInput);
    expand::expand(&input)
        .unwrap_or_else(|error| error.to_compile_error())
        .into()
}
