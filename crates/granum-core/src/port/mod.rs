//! What is asked of the world outside: files to read, places to write, someone to tell. Each kind of file
//! or place stands behind these, and nothing here knows of any.

mod address;
mod input;
mod observer;
mod output;

pub use address::{MYSQL, POSTGRES, WITHOUT_PASSWORD, is_address, password_in, without_passwords};
pub use input::{
    CellTrouble, Declared, Each, InputColumn, InputShape, InputSource, InputSpec, Leads, OddHours,
    Part, PartReader, RawPart, ReadRequest, ReadRule, SourceError, SourceErrorKind, Sources,
    Written,
};
pub use observer::{Observer, Silent};
pub use output::{
    BOOKS, COLUMNS, DATABASES, Encoded, Encoder, FIELDS, Family, LONGEST_SHEET, NamedAs, OBJECTS,
    Output, OutputError, Outputs, PACKED, Picture, Style, publish_each,
};
