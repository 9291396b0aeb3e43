//! What `#[item(...)]` says of a field and of a type.

use syn::{Field, Ident, LitStr, Path, Result, Type, ext::IdentExt, spanned::Spanned};

/// A field of the struct, with what was said of it.
pub(crate) struct Described<'a> {
    pub(crate) field: &'a Field,
    pub(crate) ident: &'a Ident,
    pub(crate) name: String,
    pub(crate) key: bool,
    pub(crate) nested: bool,
    pub(crate) skip: bool,
    pub(crate) search: bool,
    pub(crate) descending: bool,
    pub(crate) missing_first: bool,
    pub(crate) format: Option<Path>,
    /// Read and written as its text.
    pub(crate) text: bool,
    /// The type that it is read and written as.
    pub(crate) through: Option<Type>,
}

impl<'a> Described<'a> {
    pub(crate) fn read(field: &'a Field, ident: &'a Ident) -> Result<Self> {
        let mut described = Self {
            field,
            ident,
            name: ident.unraw().to_string(),
            key: false,
            nested: false,
            skip: false,
            search: false,
            descending: false,
            missing_first: false,
            format: None,
            text: false,
            through: None,
        };
        for attribute in field.attrs.iter().filter(|a| a.path().is_ident("item")) {
            attribute.parse_nested_meta(|meta| {
                if meta.path.is_ident("key") {
                    described.key = true;
                } else if meta.path.is_ident("nested") {
                    described.nested = true;
                } else if meta.path.is_ident("skip") {
                    described.skip = true;
                } else if meta.path.is_ident("search") {
                    described.search = true;
                } else if meta.path.is_ident("descending") {
                    described.descending = true;
                } else if meta.path.is_ident("missing_first") {
                    described.missing_first = true;
                } else if meta.path.is_ident("text") {
                    described.text = true;
                } else if meta.path.is_ident("through") {
                    described.through = Some(meta.value()?.parse()?);
                } else if meta.path.is_ident("format") {
                    described.format = Some(meta.value()?.parse()?);
                } else if meta.path.is_ident("rename") {
                    let name: LitStr = meta.value()?.parse()?;
                    described.name = name.value();
                    if described.name.is_empty() {
                        return Err(syn::Error::new(name.span(), "a field name is empty"));
                    }
                } else {
                    return Err(meta.error(
                        "unknown attribute: a field can be marked `key`, `nested`, `skip`, `search`, \
                         `descending`, `missing_first`, `text`, `through = Type`, `format = function` or \
                         `rename = \"name\"`",
                    ));
                }
                Ok(())
            })?;
        }
        let converted = described.text || described.through.is_some();
        let shown = described.nested || described.search || described.format.is_some() || converted;
        if described.skip && shown {
            return Err(syn::Error::new(
                field.span(),
                "a field that is marked `skip` is nothing else: it is not read, shown or searched",
            ));
        }
        if described.nested && (described.search || described.descending || described.missing_first)
        {
            return Err(syn::Error::new(
                field.span(),
                "mark the fields of the nested type with `search`, `descending` and `missing_first`, not the whole",
            ));
        }
        if described.text && described.through.is_some() || described.nested && converted {
            return Err(syn::Error::new(
                field.span(),
                "a field is marked with one of `nested`, `text` and `through = Type`",
            ));
        }
        Ok(described)
    }
}

/// What was said of the type.
#[derive(Default)]
pub(crate) struct DescribedType {
    /// The form of its own that it has in JSON.
    pub(crate) json: Option<Path>,
    /// Where the library is, when that is not `::usual_tide`.
    pub(crate) root: Option<Path>,
}

impl DescribedType {
    pub(crate) fn read(input: &syn::DeriveInput) -> Result<Self> {
        let mut described = Self::default();
        for attribute in input.attrs.iter().filter(|a| a.path().is_ident("item")) {
            attribute.parse_nested_meta(|meta| {
                if meta.path.is_ident("json") {
                    described.json = Some(meta.value()?.parse()?);
                } else if meta.path.is_ident("crate") {
                    described.root = Some(meta.value()?.parse()?);
                } else {
                    return Err(meta.error(
                        "unknown attribute: a type can be marked `json = function` or `crate = path`",
                    ));
                }
                Ok(())
            })?;
        }
        Ok(described)
    }
}
