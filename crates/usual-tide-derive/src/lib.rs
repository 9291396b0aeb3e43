//! `#[derive(Item)]` and `#[derive(Fields)]` for the `usual-tide` crate, which re-exports them.
//! Documented there.

mod attributes;
mod expand;

use proc_macro::TokenStream;

/// Implements `usual_tide::Item` and `usual_tide::Fields` for a struct with named fields.
///
/// Mark the field that is the key with `#[item(key)]`. Each field gets an accessor as a constant of
/// the type, named after the field in capitals (`Piece::HEIGHT_MM`), which queries take in place of
/// closures. Fields that differ between two versions are named by their names.
///
/// - `#[item(nested)]`: the field's type derives `Fields`, and its fields get dotted names.
/// - `#[item(skip)]`: the field is kept out of `Fields::fields`; its type can be anything.
/// - `#[item(rename = "name")]`: the field goes by another name.
/// - `#[item(search)]`: a search looks into the field.
/// - `#[item(descending)]`: where a sort names the field and says no direction, it descends.
/// - `#[item(missing_first)]`: where a sort does not say otherwise, missing values come first.
/// - `#[item(format = function)]`: the field is shown as the text that `fn(&FieldType) -> String` gives; it
///   is typed as before. A nested field gets a field of its own by that, which is shown and not written.
#[proc_macro_derive(Item, attributes(item))]
pub fn derive_item(input: TokenStream) -> TokenStream {
    let input = syn::parse_macro_input!(input as syn::DeriveInput);
    expand::item(&input)
        .unwrap_or_else(|error| error.to_compile_error())
        .into()
}

/// Implements `usual_tide::Fields` for a struct that stands in an item as a nested field.
///
/// It takes the same attributes as `#[derive(Item)]`, but for `key`.
#[proc_macro_derive(Fields, attributes(item))]
pub fn derive_fields(input: TokenStream) -> TokenStream {
    let input = syn::parse_macro_input!(input as syn::DeriveInput);
    expand::nested(&input)
        .unwrap_or_else(|error| error.to_compile_error())
        .into()
}
