//! Files of items: JSON, NDJSON and CSV (RFC 4180).
//!
//! ```
//! use usual_tide::record::FieldName;
//! use usual_tide_sources::files::{FileFormat, parse, write};
//!
//! # fn main() -> Result<(), Box<dyn std::error::Error>> {
//! let key = FieldName::parse("id")?;
//! let pieces = parse("id,title,fee.amount\nP-1,\"Bowl, wide\",4.50\n", FileFormat::Csv, &key)?;
//! let mut json = Vec::new();
//! write(&mut json, FileFormat::Ndjson, pieces.iter().map(|piece| piece.members()))?;
//! assert_eq!(json, b"{\"id\":\"P-1\",\"title\":\"Bowl, wide\",\"fee\":{\"amount\":4.50}}\n");
//! # Ok(()) }
//! ```

mod apply;
mod checked;
mod csv;
mod error;
mod format;
mod former;
mod lock;
mod options;
mod other_kind;
mod read;
mod replace;
mod source;
mod stamp;
mod stream;
mod watch;
mod write;

pub use csv::{CsvLayout, NotStorable};
pub use error::ReadError;
pub use format::FileFormat;
pub use options::{FileContent, ReadOptions};
pub use other_kind::OtherKind;
pub use read::{parse, read, read_as, read_file, text};
pub use replace::replace_file;
pub use source::FileSource;
pub use stream::{Progress, read_open_file};
pub use write::{WriteError, write, write_as, write_table};
