//! What the derives write.

use crate::attributes::{Described, json_form};
use proc_macro2::TokenStream;
use quote::{format_ident, quote};
use syn::{Data, DeriveInput, Error, Fields, Result, ext::IdentExt, spanned::Spanned};

/// `Item`, `Fields` and the accessors.
pub(crate) fn item(input: &DeriveInput) -> Result<TokenStream> {
    let fields = named_fields(input)?;
    let key = key_field(input, &fields)?;
    let (name, generics) = (&input.ident, &input.generics);
    let (impl_generics, type_generics, bounds) = generics.split_for_impl();
    let (key_name, key_type) = (key.ident, &key.field.ty);
    let key_pointer = pointer(&key.name);
    let differing = differing(&fields);
    let accessors = accessors(input, &fields);
    let fields = fields_impl(input, &fields, json_form(input)?);
    Ok(quote! {
        #[automatically_derived]
        impl #impl_generics ::usual_tide::Item for #name #type_generics #bounds {
            type Key = #key_type;

            fn key(&self) -> &Self::Key {
                &self.#key_name
            }

            fn changed_fields(&self, later: &Self) -> ::std::vec::Vec<::usual_tide::fields::FieldPath> {
                #differing
            }

            fn key_path(&self) -> ::std::option::Option<::usual_tide::fields::FieldPath> {
                ::std::option::Option::Some(::usual_tide::fields::FieldPath::new(#key_pointer))
            }
        }

        #accessors
        #fields
    })
}

/// `Fields` and the accessors.
pub(crate) fn nested(input: &DeriveInput) -> Result<TokenStream> {
    let fields = named_fields(input)?;
    if let Some(key) = fields.iter().find(|field| field.key) {
        return Err(Error::new(
            key.field.span(),
            "a nested type has no key: derive `Item` for a type that has one",
        ));
    }
    let accessors = accessors(input, &fields);
    let fields = fields_impl(input, &fields, json_form(input)?);
    Ok(quote! {
        #accessors
        #fields
    })
}

fn named_fields(input: &DeriveInput) -> Result<Vec<Described<'_>>> {
    if let Data::Struct(data) = &input.data
        && let Fields::Named(fields) = &data.fields
    {
        let fields = fields.named.iter();
        return fields
            .filter_map(|field| Some(Described::read(field, field.ident.as_ref()?)))
            .collect();
    }
    Err(Error::new(
        input.ident.span(),
        "an item is a struct with named fields: implement the trait by hand for other types, or derive \
         `FieldValue` for an enum or a struct of one unnamed field, to be the type of a field",
    ))
}

fn key_field<'a, 'b>(
    input: &DeriveInput,
    fields: &'b [Described<'a>],
) -> Result<&'b Described<'a>> {
    let mut keys = fields.iter().filter(|field| field.key);
    let key = keys.next().ok_or_else(|| {
        Error::new(
            input.ident.span(),
            "an item needs a key: mark the field that never changes with `#[item(key)]`",
        )
    })?;
    match keys.next() {
        None => Ok(key),
        Some(second) => Err(Error::new(
            second.field.span(),
            "an item has one key: only one field can be marked `#[item(key)]`",
        )),
    }
}

/// The JSON Pointer of a member (RFC 6901).
fn pointer(name: &str) -> String {
    format!("/{}", name.replace('~', "~0").replace('/', "~1"))
}

/// Names the fields that differ, as the value of a block.
fn differing(fields: &[Described<'_>]) -> TokenStream {
    let comparisons = fields.iter().map(|field| {
        let name = field.ident;
        let pointer = pointer(&field.name);
        let whole = quote! { changed.push(::usual_tide::fields::FieldPath::new(#pointer)); };
        if !field.nested {
            return quote! { if self.#name != later.#name { #whole } };
        }
        quote! {
            if self.#name != later.#name {
                let inner = ::usual_tide::fields::Part::differing(&self.#name, &later.#name);
                if inner.is_empty() { #whole }
                changed.extend(inner.into_iter().map(|path| path.under(#pointer)));
            }
        }
    });
    quote! {
        let mut changed = ::std::vec::Vec::new();
        #(#comparisons)*
        changed
    }
}

fn accessors(input: &DeriveInput, fields: &[Described<'_>]) -> TokenStream {
    let (name, generics) = (&input.ident, &input.generics);
    let (impl_generics, type_generics, bounds) = generics.split_for_impl();
    let accessors = fields.iter().map(|field| {
        let (visibility, kind) = (&field.field.vis, &field.field.ty);
        let (ident, name) = (field.ident, &field.name);
        let plain = ident.unraw().to_string();
        let constant = format_ident!("{}", plain.to_uppercase(), span = ident.span());
        let docs = format!("The field `{plain}`.");
        let order = natural_order(field);
        quote! {
            #[doc = #docs]
            #visibility const #constant: ::usual_tide::Field<Self, #kind> =
                ::usual_tide::Field::<Self, #kind>::new(#name, |item| &item.#ident, |item| &mut item.#ident)#order;
        }
    });
    quote! {
        #[automatically_derived]
        #[allow(dead_code)]
        impl #impl_generics #name #type_generics #bounds {
            #(#accessors)*
        }
    }
}

/// What is said of how the field sorts.
fn natural_order(field: &Described<'_>) -> TokenStream {
    let descending = field.descending.then(|| quote! { .naturally_descending() });
    let missing_first = field
        .missing_first
        .then(|| quote! { .naturally_missing_first() });
    quote! { #descending #missing_first }
}

fn fields_impl(
    input: &DeriveInput,
    fields: &[Described<'_>],
    json: Option<syn::Path>,
) -> TokenStream {
    let name = &input.ident;
    let shown = || fields.iter().filter(|field| !field.skip);
    let entries = shown().map(|field| {
        let (ident, name, kind) = (field.ident, &field.name, &field.field.ty);
        let accessor = quote! {
            ::usual_tide::Field::<Self, #kind>::new(
                #name,
                |item: &Self| &item.#ident,
                |item: &mut Self| &mut item.#ident,
            )
        };
        let shown = field
            .format
            .as_ref()
            .map(|format| quote! { |item: &Self| #format(&item.#ident) });
        if field.nested {
            let whole = shown.map(|shown| {
                quote! { fields.push(::usual_tide::fields::AnyField::shown_only(#name, #shown)); }
            });
            return quote! { #whole fields.extend(#accessor.nested()); };
        }
        let shown = shown.map(|shown| quote! { .shown_as(#shown) });
        let order = natural_order(field);
        let searched = field.search.then(|| quote! { .searched() });
        quote! { fields.push(::usual_tide::fields::AnyField::from(#accessor #order)#shown #searched); }
    });
    // With type parameters it holds where the types of the fields allow it.
    let mut generics = input.generics.clone();
    if input.generics.type_params().next().is_some() {
        let bounds = generics.make_where_clause();
        for field in shown() {
            let kind = &field.field.ty;
            bounds.predicates.push(if field.nested {
                syn::parse_quote! { #kind: ::usual_tide::fields::Part }
            } else {
                syn::parse_quote! { #kind: ::usual_tide::FieldValue }
            });
        }
    }
    let (impl_generics, type_generics, bounds) = generics.split_for_impl();
    let differing = differing(fields);
    let parts = fields.iter().filter(|field| field.nested).map(|field| {
        let (ident, name, kind) = (field.ident, &field.name, &field.field.ty);
        quote! {
            parts.extend(::usual_tide::Field::<Self, #kind>::new(
                #name,
                |item: &Self| &item.#ident,
                |item: &mut Self| &mut item.#ident,
            ).parts());
        }
    });
    let parts = fields.iter().any(|field| field.nested).then(|| {
        quote! {
            fn parts() -> ::std::vec::Vec<::usual_tide::fields::AnyField<Self>> {
                let mut parts = ::std::vec::Vec::new();
                #(#parts)*
                parts
            }
        }
    });
    let to_json = json.map(|json| {
        quote! {
            fn to_json(&self) -> ::usual_tide::record::Json {
                #json(self)
            }
        }
    });
    quote! {
        #[automatically_derived]
        impl #impl_generics ::usual_tide::Fields for #name #type_generics #bounds {
            fn fields() -> ::std::vec::Vec<::usual_tide::fields::AnyField<Self>> {
                let mut fields = ::std::vec::Vec::new();
                #(#entries)*
                fields
            }

            fn differing(&self, later: &Self) -> ::std::vec::Vec<::usual_tide::fields::FieldPath> {
                #differing
            }

            #parts

            #to_json
        }
    }
}
