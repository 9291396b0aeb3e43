//! `#[derive(Item)]`, `#[derive(Fields)]` and `#[derive(FieldValue)]` for the `usual-tide` crate, which re-exports them.
//! Documented there.

mod attributes;
mod expand;
mod field_value;
mod root;

use proc_macro::TokenStream;

/// Implements `usual_tide::Item` and `usual_tide::Fields` for a struct with named fields.
///
/// Mark the field that is the key with `#[item(key)]`. Each field gets an accessor as a constant of
/// the type, named after the field in capitals (`Piece::HEIGHT_MM`), which queries take in place of
/// closures. Fields that differ between two versions are named by their names.
///
/// - `#[item(nested)]`: the field's type derives `Fields`, or is an `Option` of one that does, and its fields get
///   dotted names.
/// - `#[item(skip)]`: the field is kept out of `Fields::fields`; its type can be anything.
/// - `#[item(rename = "name")]`: the field goes by another name.
/// - `#[item(search)]`: a search looks into the field.
/// - `#[item(descending)]`: where a sort names the field and says no direction, it descends.
/// - `#[item(missing_first)]`: where a sort does not say otherwise, missing values come first.
/// - `#[item(text)]`: the field's type is another crate's, or `Option` of one, with `Display` and `FromStr`: the field is read,
///   shown and typed as its text.
/// - `#[item(through = Type)]`: the field's type is another crate's, or `Option` of one: the field is read, shown and typed as
///   this type, which has `FieldValue` and is made of the field's type and turned into it by `From`.
/// - `#[item(format = function)]`: the field is shown as the text that `fn(&FieldType) -> String` gives; it
///   is typed as before. A nested field gets a field of its own by that, which is shown and not written.
/// - `#[item(json = function)]` on the type: in JSON it has the form that `fn(&Self) -> serde_json::Value` gives.
/// - `#[item(crate = path)]` on the type: where the library is, when an app knows it by another name.
#[proc_macro_derive(Item, attributes(item))]
pub fn derive_item(input: TokenStream) -> TokenStream {
    let input = syn::parse_macro_input!(input as syn::DeriveInput);
    expand::item(&input)
        .unwrap_or_else(|error| error.to_compile_error())
        .into()
}

/// Implements `usual_tide::Fields` for a struct that is a nested field of an item.
///
/// It takes the same attributes as `#[derive(Item)]`, but for `key`.
#[proc_macro_derive(Fields, attributes(item))]
pub fn derive_fields(input: TokenStream) -> TokenStream {
    let input = syn::parse_macro_input!(input as syn::DeriveInput);
    expand::nested(&input)
        .unwrap_or_else(|error| error.to_compile_error())
        .into()
}

/// Implements `usual_tide::FieldValue` and `usual_tide::query::SortValue` for an enum without values, or a struct of one
/// unnamed field, so that it can be the type of a field, or of a key.
///
/// An enum is one of several choices, which sort in the order of their definition. In text and JSON a choice has the
/// name of its variant, which is also what a view shows, unless the variant says otherwise:
///
/// - `#[item(rename = "name")]`: the choice goes by another name.
/// - `#[item(shown = "text")]`: a view shows it as this text.
///
/// A struct of one unnamed field is read, shown, written and sorted as that field.
///
/// - `#[item(crate = path)]` on the type: where the library is, when an app knows it by another name.
#[proc_macro_derive(FieldValue, attributes(item))]
pub fn derive_field_value(input: TokenStream) -> TokenStream {
    let input = syn::parse_macro_input!(input as syn::DeriveInput);
    field_value::field_value(&input)
        .unwrap_or_else(|error| error.to_compile_error())
        .into()
}
