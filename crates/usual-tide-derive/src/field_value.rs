//! What `#[derive(FieldValue)]` writes.

use crate::attributes::DescribedType;
use crate::root::rooted;
use proc_macro2::TokenStream;
use quote::quote;
use syn::{
    Data, DataEnum, DeriveInput, Error, Fields, LitStr, Result, ext::IdentExt, spanned::Spanned,
};

pub(crate) fn field_value(input: &DeriveInput) -> Result<TokenStream> {
    let described = DescribedType::read(input)?;
    if described.json.is_some() {
        let message = "a field value has no form of its own in JSON: its value has one";
        return Err(Error::new(input.ident.span(), message));
    }
    let implementation = match &input.data {
        Data::Enum(data) => choices(input, data),
        Data::Struct(data) => match &data.fields {
            Fields::Unnamed(fields) if fields.unnamed.len() == 1 => {
                Ok(newtype(input, &fields.unnamed[0].ty))
            }
            _ => Err(unsupported(input)),
        },
        Data::Union(_) => Err(unsupported(input)),
    };
    Ok(rooted(implementation?, described.root.as_ref()))
}

fn unsupported(input: &DeriveInput) -> Error {
    Error::new(
        input.ident.span(),
        "a field value is an enum without values, or a struct of one unnamed field: derive `Fields` for a struct \
         with named fields and mark the field `#[item(nested)]`, or implement `FieldValue` by hand",
    )
}

/// A variant and what was said of it.
struct Variant<'a> {
    ident: &'a syn::Ident,
    name: String,
    shown: Option<String>,
}

impl<'a> Variant<'a> {
    fn read(variant: &'a syn::Variant) -> Result<Self> {
        if !matches!(variant.fields, Fields::Unit) {
            return Err(Error::new(
                variant.span(),
                "a choice has no values of its own: implement `FieldValue` by hand for an enum whose variants have",
            ));
        }
        let mut read = Self {
            ident: &variant.ident,
            name: variant.ident.unraw().to_string(),
            shown: None,
        };
        for attribute in variant.attrs.iter().filter(|a| a.path().is_ident("item")) {
            attribute.parse_nested_meta(|meta| {
                let text = |meta: &syn::meta::ParseNestedMeta<'_>| -> Result<String> {
                    let text: LitStr = meta.value()?.parse()?;
                    match text.value() {
                        empty if empty.is_empty() => {
                            Err(Error::new(text.span(), "the text of a choice is empty"))
                        }
                        text => Ok(text),
                    }
                };
                if meta.path.is_ident("rename") {
                    read.name = text(&meta)?;
                } else if meta.path.is_ident("shown") {
                    read.shown = Some(text(&meta)?);
                } else {
                    return Err(meta.error(
                        "unknown attribute: a choice can be marked `rename = \"name\"` or `shown = \"text\"`",
                    ));
                }
                Ok(())
            })?;
        }
        Ok(read)
    }
}

fn choices(input: &DeriveInput, data: &DataEnum) -> Result<TokenStream> {
    let variants = data.variants.iter().map(Variant::read);
    let variants = variants.collect::<Result<Vec<_>>>()?;
    if variants.is_empty() {
        return Err(Error::new(
            input.ident.span(),
            "there is no choice: the enum has no variant",
        ));
    }
    for (at, variant) in variants.iter().enumerate() {
        if variants[..at]
            .iter()
            .any(|other| other.name == variant.name)
        {
            let message = format!("two choices have the name {:?}", variant.name);
            return Err(Error::new(variant.ident.span(), message));
        }
    }
    let name = &input.ident;
    let idents: Vec<_> = variants.iter().map(|variant| variant.ident).collect();
    let numbers: Vec<u32> = (0..).take(variants.len()).collect();
    let choices = variants.iter().zip(&numbers).map(|(variant, number)| {
        let (name, shown) = (
            &variant.name,
            variant.shown.as_ref().unwrap_or(&variant.name),
        );
        quote! { ::usual_tide::fields::Choice::new(#number, #name, #shown) }
    });
    let count = variants.len();
    Ok(quote! {
        #[automatically_derived]
        const _: () = {
            static CHOICES: [::usual_tide::fields::Choice; #count] = [#(#choices),*];

            impl #name {
                fn __choice(&self) -> &'static ::usual_tide::fields::Choice {
                    match self {
                        #(Self::#idents => &CHOICES[#numbers as usize],)*
                    }
                }

                fn __of_name(name: &str) -> ::std::option::Option<Self> {
                    #(if name == CHOICES[#numbers as usize].name() {
                        return ::std::option::Option::Some(Self::#idents);
                    })*
                    ::std::option::Option::None
                }
            }

            impl ::usual_tide::FieldValue for #name {
                const KIND: ::usual_tide::fields::Kind = ::usual_tide::fields::Kind::Choice;

                fn value(&self) -> ::usual_tide::fields::Value<'_> {
                    ::usual_tide::fields::Value::Choice(*self.__choice())
                }

                fn from_value(
                    value: ::usual_tide::fields::Value<'_>,
                ) -> ::std::result::Result<Self, ::usual_tide::fields::InputError> {
                    let found = value.as_text().and_then(|text| {
                        let shown = || CHOICES.iter().find(|choice| choice.shown() == text);
                        Self::__of_name(text)
                            .or_else(|| Self::__of_name(shown()?.name()))
                    });
                    found.ok_or_else(|| ::usual_tide::fields::InputError::NoChoice {
                        given: ::std::string::ToString::to_string(&value),
                        choices: CHOICES.iter().map(|choice| choice.name()).collect(),
                    })
                }

                fn choices() -> &'static [::usual_tide::fields::Choice] {
                    &CHOICES
                }

                fn compare_to(
                    &self,
                    value: &::usual_tide::fields::Value<'_>,
                ) -> ::std::option::Option<::std::cmp::Ordering> {
                    let other = Self::__of_name(value.as_text()?)?;
                    let other = other.__choice().order();
                    ::std::option::Option::Some(self.__choice().order().cmp(&other))
                }

                fn equals(&self, value: &::usual_tide::fields::Value<'_>) -> ::std::option::Option<bool> {
                    ::std::option::Option::Some(self.__choice().name() == value.as_text()?)
                }

                fn shown(&self) -> ::std::string::String {
                    ::std::string::ToString::to_string(self.__choice().shown())
                }

                fn typed(&self) -> ::std::string::String {
                    ::usual_tide::FieldValue::shown(self)
                }

                fn read(
                    text: &str,
                ) -> ::std::result::Result<Self, ::usual_tide::fields::InputError> {
                    ::usual_tide::FieldValue::from_value(::usual_tide::fields::Value::from(text.trim()))
                }
            }

            impl ::usual_tide::query::SortValue for #name {
                const DECIDING_BITS: u32 = 32;

                fn prefix(&self) -> u64 {
                    ::std::primitive::u64::from(self.__choice().order()) << 32
                }

                fn compare(&self, other: &Self) -> ::std::cmp::Ordering {
                    self.__choice().order().cmp(&other.__choice().order())
                }
            }
        };
    })
}

/// A struct of one unnamed field is what that field is.
fn newtype(input: &DeriveInput, inner: &syn::Type) -> TokenStream {
    let name = &input.ident;
    let mut generics = input.generics.clone();
    if generics.type_params().next().is_some() {
        let bounds = generics.make_where_clause();
        bounds
            .predicates
            .push(syn::parse_quote! { Self: Clone + Send + Sync + 'static });
        bounds.predicates.push(
            syn::parse_quote! { #inner: ::usual_tide::FieldValue + ::usual_tide::query::SortValue },
        );
    }
    let (impl_generics, type_generics, bounds) = generics.split_for_impl();
    quote! {
        #[automatically_derived]
        impl #impl_generics ::usual_tide::FieldValue for #name #type_generics #bounds {
            const KIND: ::usual_tide::fields::Kind = <#inner as ::usual_tide::FieldValue>::KIND;

            fn value(&self) -> ::usual_tide::fields::Value<'_> {
                ::usual_tide::FieldValue::value(&self.0)
            }

            fn from_value(
                value: ::usual_tide::fields::Value<'_>,
            ) -> ::std::result::Result<Self, ::usual_tide::fields::InputError> {
                <#inner as ::usual_tide::FieldValue>::from_value(value).map(Self)
            }

            fn choices() -> &'static [::usual_tide::fields::Choice] {
                <#inner as ::usual_tide::FieldValue>::choices()
            }

            fn compare_to(
                &self,
                value: &::usual_tide::fields::Value<'_>,
            ) -> ::std::option::Option<::std::cmp::Ordering> {
                ::usual_tide::FieldValue::compare_to(&self.0, value)
            }

            fn equals(&self, value: &::usual_tide::fields::Value<'_>) -> ::std::option::Option<bool> {
                ::usual_tide::FieldValue::equals(&self.0, value)
            }

            fn shown(&self) -> ::std::string::String {
                ::usual_tide::FieldValue::shown(&self.0)
            }

            fn typed(&self) -> ::std::string::String {
                ::usual_tide::FieldValue::typed(&self.0)
            }

            fn read(text: &str) -> ::std::result::Result<Self, ::usual_tide::fields::InputError> {
                <#inner as ::usual_tide::FieldValue>::read(text).map(Self)
            }
        }

        #[automatically_derived]
        impl #impl_generics ::usual_tide::query::SortValue for #name #type_generics #bounds {
            const DECIDING_BITS: u32 = <#inner as ::usual_tide::query::SortValue>::DECIDING_BITS;
            const RANKED: bool = <#inner as ::usual_tide::query::SortValue>::RANKED;

            fn rank(&self) -> ::usual_tide::query::SortRank {
                ::usual_tide::query::SortValue::rank(&self.0)
            }

            fn prefix(&self) -> u64 {
                ::usual_tide::query::SortValue::prefix(&self.0)
            }

            fn prefix_from(&self, byte: usize) -> ::std::option::Option<u64> {
                ::usual_tide::query::SortValue::prefix_from(&self.0, byte)
            }

            fn bytes_in_prefix(&self, bits: u32) -> usize {
                ::usual_tide::query::SortValue::bytes_in_prefix(&self.0, bits)
            }

            fn compare(&self, other: &Self) -> ::std::cmp::Ordering {
                ::usual_tide::query::SortValue::compare(&self.0, &other.0)
            }
        }
    }
}
