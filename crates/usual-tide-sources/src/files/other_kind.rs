//! Files that are no text, told by the bytes that they begin with.

/// What a file is instead of text in UTF-8.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
#[non_exhaustive]
pub enum OtherKind {
    /// A SQLite database.
    SqliteDatabase,
    /// Text of two bytes a letter.
    Utf16,
    /// Compressed by gzip (RFC 1952).
    Gzip,
    /// A ZIP archive, which spreadsheets are as well.
    Zip,
}

impl OtherKind {
    /// The kind of a file that begins with these bytes, of which 16 are enough.
    ///
    /// ```
    /// use usual_tide_sources::files::OtherKind;
    ///
    /// assert_eq!(OtherKind::of(b"SQLite format 3\0"), Some(OtherKind::SqliteDatabase));
    /// assert_eq!(OtherKind::of(b"id,title"), None);
    /// ```
    pub fn of(start: &[u8]) -> Option<Self> {
        const STARTS: [(&[u8], OtherKind); 5] = [
            (b"SQLite format 3\0", OtherKind::SqliteDatabase),
            (b"\xff\xfe", OtherKind::Utf16),
            (b"\xfe\xff", OtherKind::Utf16),
            (b"\x1f\x8b", OtherKind::Gzip),
            (b"PK\x03\x04", OtherKind::Zip),
        ];
        let found = STARTS.iter().find(|(bytes, _)| start.starts_with(bytes));
        found.map(|(_, kind)| *kind)
    }

    pub(super) fn told(self) -> &'static str {
        match self {
            Self::SqliteDatabase => "it is a SQLite database, of which a table is read",
            Self::Utf16 => "it is UTF-16; save it as UTF-8",
            Self::Gzip => "it is compressed; unpack it first",
            Self::Zip => {
                "it is a ZIP archive, or a spreadsheet; unpack it, or save the sheet as CSV in UTF-8"
            }
        }
    }
}
