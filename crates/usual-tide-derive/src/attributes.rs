//! What `#[item(...)]` says of a field.

use syn::{Field, Ident, LitStr, Path, Result, ext::IdentExt, spanned::Spanned};

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
                         `descending`, `missing_first`, `format = function` or `rename = \"name\"`",
                    ));
                }
                Ok(())
            })?;
        }
        let shown = described.nested || described.search || described.format.is_some();
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
        Ok(described)
    }
}

/// `#[item(json = function)]` on the type: the form of its own that it has in JSON.
pub(crate) fn json_form(input: &syn::DeriveInput) -> Result<Option<Path>> {
    let mut json = None;
    for attribute in input.attrs.iter().filter(|a| a.path().is_ident("item")) {
        attribute.parse_nested_meta(|meta| {
            if meta.path.is_ident("json") {
                json = Some(meta.value()?.parse()?);
                return Ok(());
            }
            Err(meta.error("unknown attribute: a type can be marked `json = function`"))
        })?;
    }
    Ok(json)
}
