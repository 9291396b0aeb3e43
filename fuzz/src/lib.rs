//! What the fuzz targets share: the demo's pieces.

use std::sync::LazyLock;
use usual_tide::record::{FieldName, Record, parse};

/// The field that is the key of the demo's pieces.
pub fn key() -> FieldName {
    FieldName::parse("id").expect("it is a name")
}

/// The first of the demo's pieces.
pub fn pieces(most: usize) -> Vec<Record> {
    static PIECES: LazyLock<Vec<Record>> = LazyLock::new(|| {
        let text = include_str!("../../demo/pieces.json");
        parse(text, &key()).expect("they are records")
    });
    PIECES.iter().take(most).cloned().collect()
}
