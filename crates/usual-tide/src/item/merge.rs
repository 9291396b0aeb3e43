//! Merging two versions of an item, field by field.

use super::Item;
use super::fields::Fields;
use super::path::FieldPath;

/// Two later versions of an item, merged.
#[derive(Clone, PartialEq, Debug)]
#[non_exhaustive]
pub struct Merged<T> {
    /// Their version, with the fields that only this side changed.
    pub item: T,
    /// The fields that both sides changed, and not to the same value, and fields that cannot be written; the item has
    /// theirs.
    pub colliding: Vec<FieldPath>,
}

/// Merges two versions that were made of one item: a field that only one side changed is as that side left it.
/// O(fields).
///
/// ```
/// use usual_tide::Item;
/// use usual_tide::fields::merge;
///
/// #[derive(Clone, PartialEq, Debug, Item)]
/// struct Piece { #[item(key)] id: u32, title: String, shelf: u8, fired: bool }
///
/// let base = Piece { id: 1, title: "Bowl".into(), shelf: 2, fired: false };
/// let mine = Piece { title: "Deep bowl".into(), shelf: 3, ..base.clone() };
/// let theirs = Piece { shelf: 4, fired: true, ..base.clone() };
/// let merged = merge(&base, &mine, &theirs);
/// assert_eq!(merged.item, Piece { id: 1, title: "Deep bowl".into(), shelf: 4, fired: true });
/// assert_eq!(merged.colliding[0].to_string(), "shelf");
/// ```
pub fn merge<T: Item + Fields>(base: &T, mine: &T, theirs: &T) -> Merged<T> {
    let their_fields = base.changed_fields(theirs);
    let differing = mine.changed_fields(theirs);
    let overlaps =
        |paths: &[FieldPath], path: &FieldPath| paths.iter().any(|other| other.overlaps(path));
    let mut item = theirs.clone();
    let mut colliding = Vec::new();
    for path in base.changed_fields(mine) {
        let collides = overlaps(&their_fields, &path);
        let field = T::field_at(&path).filter(|field| !field.is_read_only());
        match field {
            Some(field) if !collides => field.copy(mine, &mut item),
            // Both sides have the same by now.
            _ if !overlaps(&differing, &path) => {}
            _ => colliding.push(path),
        }
    }
    Merged { item, colliding }
}

/// Gives an item the fields of another that can be written.
pub(crate) fn copy_fields<T: Fields>(paths: &[FieldPath], from: &T, to: &mut T) {
    for field in paths.iter().filter_map(T::field_at) {
        if !field.is_read_only() {
            field.copy(from, to);
        }
    }
}
