//! The signs that a file is written with.

/// The signs between fields and before decimal places.
#[derive(Debug, Clone, Copy)]
pub(super) struct Signs {
    pub delimiter: u8,
    pub decimals: u8,
}

/// What holds where nothing is said.
pub(super) const PLAIN: Signs = Signs { delimiter: b',', decimals: b'.' };

impl Signs {
    /// Whether values that are no text have to be looked at: for the sign between fields, or before places.
    pub fn are_looked_for(self) -> bool {
        self.decimals != PLAIN.decimals
            || self.delimiter.is_ascii_alphanumeric()
            || b"-+.: ".contains(&self.delimiter)
            || self.delimiter == self.decimals
    }
}
