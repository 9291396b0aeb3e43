//! What the derives write.

use crate::attributes::{Described, DescribedType};
use crate::root::rooted;
use proc_macro2::TokenStream;
use quote::{quote, quote_spanned};
use syn::{
    Data, DeriveInput, Error, Fields, GenericArgument, Ident, PathArguments, Result, Type,
    ext::IdentExt, spanned::Spanned,
};

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
    let described = DescribedType::read(input)?;
    let fields = fields_impl(input, &fields, described.json.as_ref());
    let implementation = quote! {
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
    };
    Ok(rooted(implementation, described.root.as_ref()))
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
    let described = DescribedType::read(input)?;
    let fields = fields_impl(input, &fields, described.json.as_ref());
    Ok(rooted(
        quote! { #accessors #fields },
        described.root.as_ref(),
    ))
}

fn named_fields(input: &DeriveInput) -> Result<Vec<Described<'_>>> {
    if let Data::Struct(data) = &input.data
        && let Fields::Named(fields) = &data.fields
    {
        let fields = fields.named.iter();
        let fields = fields.filter_map(|field| Some(Described::read(field, field.ident.as_ref()?)));
        let fields = fields.collect::<Result<Vec<_>>>()?;
        for (at, field) in fields.iter().enumerate() {
            if fields[..at].iter().any(|other| other.name == field.name) {
                let message = format!("two fields have the name {:?}", field.name);
                return Err(Error::new(field.field.span(), message));
            }
        }
        return Ok(fields);
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
            return quote! { if ::std::cmp::PartialEq::ne(&self.#name, &later.#name) { #whole } };
        }
        quote! {
            if ::std::cmp::PartialEq::ne(&self.#name, &later.#name) {
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
        let constant = constant(field);
        let docs = format!("The field `{}`.", ident.unraw());
        let order = natural_order(field);
        quote! {
            #[doc = #docs]
            #visibility const #constant: ::usual_tide::Field<Self, #kind> =
                ::usual_tide::Field::<Self, #kind>::new(#name, |item| &item.#ident, |item| &mut item.#ident)#order;
        }
    });
    quote! {
        #[automatically_derived]
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

/// The name of the accessor, which each has a use for: an app that uses none of them is not told that they are dead code.
fn constant(field: &Described<'_>) -> Ident {
    let name = field.ident.unraw().to_string().to_uppercase();
    Ident::new(&name, field.ident.span())
}

/// The field whatever its type.
fn any_field(field: &Described<'_>) -> TokenStream {
    let (kind, constant) = (&field.field.ty, constant(field));
    let inner = optional(kind);
    match (&field.through, inner) {
        (Some(through), None) => quote_spanned! { at(kind)=>
            Self::#constant.through::<#through>(
                |value| <#through as ::std::convert::From<#kind>>::from(::std::clone::Clone::clone(value)),
                |value| <#kind as ::std::convert::From<#through>>::from(value),
            )
        },
        (Some(through), Some(inner)) => quote_spanned! { at(kind)=>
            Self::#constant.through::<::std::option::Option<#through>>(
                |value| ::std::clone::Clone::clone(value)
                    .map(<#through as ::std::convert::From<#inner>>::from),
                |value| value.map(<#inner as ::std::convert::From<#through>>::from),
            )
        },
        (None, None) if field.text => quote_spanned! { at(kind)=> Self::#constant.as_text() },
        (None, Some(_)) if field.text => {
            quote_spanned! { at(kind)=> Self::#constant.as_optional_text() }
        }
        _ => quote_spanned! { at(kind)=> ::usual_tide::fields::AnyField::from(Self::#constant) },
    }
}

/// What an `Option` is of.
fn optional(kind: &Type) -> Option<&Type> {
    let Type::Path(path) = kind else {
        return None;
    };
    let last = path.path.segments.last().filter(|s| s.ident == "Option")?;
    let PathArguments::AngleBracketed(arguments) = &last.arguments else {
        return None;
    };
    match arguments.args.first()? {
        GenericArgument::Type(inner) => Some(inner),
        _ => None,
    }
}

/// Where something is, for what the macro writes of it.
fn at(tokens: &impl Spanned) -> proc_macro2::Span {
    tokens.span().resolved_at(proc_macro2::Span::call_site())
}

fn fields_impl(
    input: &DeriveInput,
    fields: &[Described<'_>],
    json: Option<&syn::Path>,
) -> TokenStream {
    let name = &input.ident;
    let shown = || fields.iter().filter(|field| !field.skip);
    let entries = shown().map(|field| {
        let (ident, name, kind) = (field.ident, &field.name, &field.field.ty);
        let constant = constant(field);
        let shown = field
            .format
            .as_ref()
            .map(|format| quote! { |item: &Self| #format(&item.#ident) });
        if field.nested {
            let whole = shown.map(|shown| {
                quote! { fields.push(::usual_tide::fields::AnyField::shown_only(#name, #shown)); }
            });
            // What is wrong with the type is told where the type is.
            return quote_spanned! { at(kind)=> #whole fields.extend(Self::#constant.nested()); };
        }
        let shown = shown.map(|shown| quote! { .shown_as(#shown) });
        let searched = field.search.then(|| quote! { .searched() });
        let any_field = any_field(field);
        quote_spanned! { at(kind)=> fields.push(#any_field #shown #searched); }
    });
    // With type parameters it holds where the types of the fields allow it.
    let mut generics = input.generics.clone();
    if input.generics.type_params().next().is_some() {
        let bounds = generics.make_where_clause();
        if fields.iter().any(|field| field.skip) {
            bounds
                .predicates
                .push(syn::parse_quote! { Self: ::std::clone::Clone });
        }
        for field in shown() {
            let kind = &field.field.ty;
            bounds.predicates.push(if field.nested {
                syn::parse_quote! { #kind: ::usual_tide::fields::Part }
            } else if let Some(through) = &field.through {
                syn::parse_quote! { #through: ::usual_tide::FieldValue }
            } else if field.text {
                let kind = optional(kind).unwrap_or(kind);
                syn::parse_quote! {
                    #kind: ::std::clone::Clone + ::std::marker::Send + ::std::marker::Sync
                        + ::std::fmt::Display + ::std::str::FromStr<Err: ::std::fmt::Display> + 'static
                }
            } else {
                syn::parse_quote! { #kind: ::usual_tide::FieldValue }
            });
        }
    }
    let (impl_generics, type_generics, bounds) = generics.split_for_impl();
    let differing = differing(fields);
    let parts = fields.iter().filter_map(|field| {
        let constant = constant(field);
        if field.nested {
            return Some(quote! { parts.extend(Self::#constant.parts()); });
        }
        field
            .skip
            .then(|| quote! { parts.push(Self::#constant.unnamed()); })
    });
    let parts: Vec<TokenStream> = parts.collect();
    let parts = (!parts.is_empty()).then(|| {
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
