//! Every public item of the libraries says what it does, shows it in an example, and names its errors.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use syn::{Attribute, Expr, ImplItem, Item, Lit, Meta, ReturnType, TraitItem, Visibility};

/// A public item and its documentation.
struct Documented {
    file: PathBuf,
    /// Whether it is called or implemented; a type that is only passed around is shown where it is.
    needs_example: bool,
    /// The type it belongs to, for a method.
    of: Option<String>,
    name: String,
    text: String,
    can_fail: bool,
}

impl Documented {
    fn title(&self) -> String {
        let of = self
            .of
            .as_deref()
            .map(|of| format!("{of}::"))
            .unwrap_or_default();
        format!("{of}{} ({})", self.name, self.file.display())
    }
}

fn sources(folder: &Path, files: &mut Vec<PathBuf>) {
    for entry in folder.read_dir().unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            sources(&path, files);
        } else if path.extension().is_some_and(|end| end == "rs") {
            files.push(path);
        }
    }
}

fn text_of(attributes: &[Attribute]) -> String {
    let lines = attributes
        .iter()
        .filter_map(|attribute| match &attribute.meta {
            Meta::NameValue(pair) if pair.path.is_ident("doc") => match &pair.value {
                Expr::Lit(text) => match &text.lit {
                    Lit::Str(text) => Some(text.value()),
                    _ => None,
                },
                _ => None,
            },
            _ => None,
        });
    lines.collect::<Vec<_>>().join("\n")
}

fn is_hidden(attributes: &[Attribute]) -> bool {
    attributes.iter().any(|attribute| match &attribute.meta {
        Meta::List(list) => {
            let words = list.tokens.to_string();
            (list.path.is_ident("doc") && words == "hidden")
                || (list.path.is_ident("cfg") && words == "test")
        }
        _ => false,
    })
}

fn is_public(visibility: &Visibility) -> bool {
    matches!(visibility, Visibility::Public(_))
}

fn can_fail(output: &ReturnType) -> bool {
    let ReturnType::Type(_, kind) = output else {
        return false;
    };
    match &**kind {
        syn::Type::Path(path) => path
            .path
            .segments
            .last()
            .is_some_and(|last| last.ident == "Result"),
        _ => false,
    }
}

fn name_of(kind: &syn::Type) -> Option<&syn::Ident> {
    match kind {
        syn::Type::Path(path) => path.path.segments.last().map(|last| &last.ident),
        _ => None,
    }
}

/// What a file declares as public.
fn documented(file: &Path, items: &[Item], found: &mut Vec<Documented>) {
    let mut add = |of: Option<&syn::Ident>,
                   name: &syn::Ident,
                   attributes: &[Attribute],
                   output: Option<&ReturnType>| {
        if !is_hidden(attributes) {
            found.push(Documented {
                file: file.to_owned(),
                needs_example: output.is_some(),
                of: of.map(ToString::to_string),
                name: name.to_string(),
                text: text_of(attributes),
                can_fail: output.is_some_and(can_fail),
            });
        }
    };
    for item in items {
        match item {
            Item::Struct(item) if is_public(&item.vis) => add(None, &item.ident, &item.attrs, None),
            Item::Enum(item) if is_public(&item.vis) => add(None, &item.ident, &item.attrs, None),
            Item::Fn(item) if is_public(&item.vis) => {
                add(None, &item.sig.ident, &item.attrs, Some(&item.sig.output));
            }
            Item::Trait(item) if is_public(&item.vis) => {
                add(None, &item.ident, &item.attrs, Some(&ReturnType::Default));
                for part in &item.items {
                    if let TraitItem::Fn(part) = part {
                        add(
                            Some(&item.ident),
                            &part.sig.ident,
                            &part.attrs,
                            Some(&part.sig.output),
                        );
                    }
                }
            }
            Item::Impl(item) if item.trait_.is_none() && !is_hidden(&item.attrs) => {
                for part in &item.items {
                    if let ImplItem::Fn(part) = part
                        && is_public(&part.vis)
                    {
                        let of = name_of(&item.self_ty);
                        add(of, &part.sig.ident, &part.attrs, Some(&part.sig.output));
                    }
                }
            }
            _ => {}
        }
    }
}

/// The code blocks of a text.
fn examples(text: &str) -> String {
    let parts = text.split("```");
    parts.skip(1).step_by(2).collect()
}

/// The words of all examples.
fn words(text: &str) -> impl Iterator<Item = String> {
    let words = text.split(|letter: char| !letter.is_alphanumeric() && letter != '_');
    words.map(str::to_owned)
}

/// What is wrong with the documentation. An item is shown when an example of its own, of its type, or of a page names it.
fn check(found: &[Documented], pages: &[String]) -> Vec<String> {
    let texts = found.iter().map(|item| &item.text).chain(pages);
    let shown: BTreeSet<String> = texts
        .flat_map(|text| words(&examples(text)).collect::<Vec<_>>())
        .collect();
    let mut faults = Vec::new();
    for item in found {
        if item.text.trim().is_empty() {
            faults.push(format!("{} is not documented", item.title()));
        } else if item.can_fail && !item.text.contains("# Errors") {
            faults.push(format!("{} can fail and does not say how", item.title()));
        }
        if item.needs_example && !shown.contains(&item.name) && !item.text.contains("```") {
            faults.push(format!("{} is in no example", item.title()));
        }
    }
    faults
}

#[test]
fn every_public_item_is_documented_with_its_errors_and_shown_in_an_example() {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR"))
        .parent()
        .unwrap()
        .to_owned();
    let mut files = Vec::new();
    for name in ["usual-tide", "usual-tide-sources"] {
        sources(&crates.join(name).join("src"), &mut files);
    }
    let mut found = Vec::new();
    // What the fuzz targets alone see is for nobody else.
    files.retain(|file| !file.ends_with("fuzzing.rs"));
    for file in files {
        let text = std::fs::read_to_string(&file).unwrap();
        let file = file.strip_prefix(&crates).unwrap();
        documented(file, &syn::parse_file(&text).unwrap().items, &mut found);
    }
    assert!(
        found.len() > 500,
        "only {} public items were found",
        found.len()
    );
    let pages = ["guide", "change-sets", "sources"].map(|page| {
        let path = crates
            .with_file_name("docs")
            .join(page)
            .with_extension("md");
        std::fs::read_to_string(path).unwrap()
    });
    let faults = check(&found, &pages);
    assert!(
        faults.is_empty(),
        "{} of {} items:\n{}",
        faults.len(),
        found.len(),
        faults.join("\n")
    );
}
