//! What the derive writes.

use proc_macro2::TokenStream;
use quote::{format_ident, quote};
use syn::{
    Data, DeriveInput, Error, Field, Fields, Ident, Result, ext::IdentExt, spanned::Spanned,
};

pub(crate) fn expand(input: &DeriveInput) -> Result<TokenStream> {
    let fields = named_fields(input)?;
    let key = key_field(input, &fields)?;
    let (name, generics) = (&input.ident, &input.generics);
    let (impl_generics, type_generics, bounds) = generics.split_for_impl();
    let (key_name, key_type) = (&key.ident, &key.ty);
    let comparisons = fields.iter().filter_map(|field| comparison(field));
    let accessors = fields.iter().filter_map(|field| accessor(field));
    Ok(quote! {
        #[automatically_derived]
        impl #impl_generics ::usual_tide::Item for #name #type_generics #bounds {
            type Key = #key_type;

            fn key(&self) -> &Self::Key {
                &self.#key_name
            }

            fn changed_fields(&self, later: &Self) -> ::std::vec::Vec<::usual_tide::FieldPath> {
                let mut changed = ::std::vec::Vec::new();
                #(#comparisons)*
                changed
            }
        }

        #[automatically_derived]
        #[allow(dead_code)]
        impl #impl_generics #name #type_generics #bounds {
            #(#accessors)*
        }
    })
}

fn named_fields(input: &DeriveInput) -> Result<Vec<&Field>> {
    if let Data::Struct(data) = &input.data
        && let Fields::Named(fields) = &data.fields
    {
        return Ok(fields.named.iter().collect());
    }
    Err(Error::new(
        input.ident.span(),
        "an item is a struct with named fields: implement `Item` by hand for other types",
    ))
}

fn key_field<'a>(input: &DeriveInput, fields: &[&'a Field]) -> Result<&'a Field> {
    let mut key = None;
    for field in fields {
        if is_key(field)? && key.replace(*field).is_some() {
            return Err(Error::new(
                field.span(),
                "an item has one key: only one field can be marked `#[item(key)]`",
            ));
        }
    }
    key.ok_or_else(|| {
        Error::new(
            input.ident.span(),
            "an item needs a key: mark the field that never changes with `#[item(key)]`",
        )
    })
}

fn is_key(field: &Field) -> Result<bool> {
    let mut is_key = false;
    for attribute in field.attrs.iter().filter(|a| a.path().is_ident("item")) {
        attribute.parse_nested_meta(|meta| {
            if meta.path.is_ident("key") {
                is_key = true;
                return Ok(());
            }
            Err(meta.error("unknown attribute: a field can be marked `key`"))
        })?;
    }
    Ok(is_key)
}

fn plain_name(name: &Ident) -> String {
    name.unraw().to_string()
}

fn comparison(field: &Field) -> Option<TokenStream> {
    let name = field.ident.as_ref()?;
    let pointer = format!("/{}", plain_name(name));
    Some(quote! {
        if self.#name != later.#name {
            changed.push(::usual_tide::FieldPath::new(#pointer));
        }
    })
}

fn accessor(field: &Field) -> Option<TokenStream> {
    let name = field.ident.as_ref()?;
    let (visibility, kind) = (&field.vis, &field.ty);
    let plain = plain_name(name);
    let constant = format_ident!("{}", plain.to_uppercase(), span = name.span());
    let docs = format!("The field `{plain}`.");
    Some(quote! {
        #[doc = #docs]
        #visibility const #constant: ::usual_tide::Field<Self, #kind> =
            ::usual_tide::Field::new(#plain, |item| &item.#name);
    })
}
