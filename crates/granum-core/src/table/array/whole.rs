//! Whole numbers in half as many bytes where all of them fit: of integers, and of the units of decimals,
//! hardly any needs all of its bytes.

use super::{Bits, Fixed, Native, Present};

/// A whole number that mostly fits into half of its bytes.
pub trait Wide: Native + From<Self::Narrow> + TryInto<Self::Narrow> {
    /// One of half the bytes.
    type Narrow: Native;
}

impl Wide for i64 {
    type Narrow = i32;
}

impl Wide for i128 {
    type Narrow = i64;
}

/// Whole numbers, some of them blank. How many bytes they are held in is nobody's matter.
#[derive(Debug, Clone)]
pub struct Whole<T: Wide>(Form<T>);

#[derive(Debug, Clone)]
enum Form<T: Wide> {
    Wide(Fixed<T>),
    Narrow(Fixed<T::Narrow>),
}

macro_rules! each_form {
    ($whole:expr, $array:ident => $work:expr) => {
        match &$whole.0 {
            Form::Wide($array) => $work,
            Form::Narrow($array) => $work,
        }
    };
}

macro_rules! made_of {
    ($whole:expr, $array:ident => $work:expr) => {
        Self(match &$whole.0 {
            Form::Wide($array) => Form::Wide($work),
            Form::Narrow($array) => Form::Narrow($work),
        })
    };
}

impl<T: Wide> Whole<T> {
    /// Values, and which of them there are; all where that is not said.
    pub fn new(values: Vec<T>, present: Option<Present>) -> Self {
        Self(Form::Wide(Fixed::new(values, present)))
    }

    /// A copy of values, in half the bytes if all fit, and which of them there are; all where that is not said.
    pub fn of(values: &[T], present: Option<Present>) -> Self {
        // Most columns that do not fit show it in their first rows.
        let fit: Option<Vec<T::Narrow>> =
            values.iter().map(|value| (*value).try_into().ok()).collect();
        match fit {
            Some(values) => Self(Form::Narrow(Fixed::new(values, present))),
            None => Self::new(values.to_vec(), present),
        }
    }

    /// So many blanks.
    pub fn blank(rows: usize) -> Self {
        Self(Form::Narrow(Fixed::blank(rows)))
    }

    /// The same in half the bytes, if all fit.
    #[must_use]
    pub fn narrowed(self) -> Self {
        let Form::Wide(wide) = &self.0 else { return self };
        // Most columns that do not fit show it in their first rows.
        let fit: Option<Vec<T::Narrow>> =
            wide.values().iter().map(|value| (*value).try_into().ok()).collect();
        match fit {
            Some(values) => Self(Form::Narrow(Fixed::new(values, wide.present().cloned()))),
            None => self,
        }
    }

    /// How many rows there are.
    pub fn len(&self) -> usize {
        each_form!(self, array => array.len())
    }

    /// Whether there are no rows.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The value of a row, which has one.
    #[inline]
    pub fn value(&self, row: usize) -> T {
        match &self.0 {
            Form::Wide(array) => array.value(row),
            Form::Narrow(array) => array.value(row).into(),
        }
    }

    /// Which rows there are; `None` where all are.
    pub fn present(&self) -> Option<&Present> {
        each_form!(self, array => array.present())
    }

    /// Whether a row has a value.
    #[inline]
    pub fn has(&self, row: usize) -> bool {
        self.present().is_none_or(|present| present.has(row))
    }

    /// How many rows are blank.
    pub fn blanks(&self) -> usize {
        self.present().map_or(0, Present::blanks)
    }

    /// The value of a row; `None` where blank.
    #[inline]
    pub fn get(&self, row: usize) -> Option<T> {
        self.has(row).then(|| self.value(row))
    }

    /// Each row's value.
    pub fn iter(&self) -> impl Iterator<Item = Option<T>> {
        (0..self.len()).map(|row| self.get(row))
    }

    /// Each row's value; of a blank one something without a meaning.
    pub fn all(&self) -> impl ExactSizeIterator<Item = T> {
        (0..self.len()).map(|row| self.value(row))
    }

    /// Another value for each, blank for blank.
    pub fn map<O: Native>(&self, work: impl Fn(T) -> O) -> Fixed<O> {
        Fixed::new(self.all().map(work).collect(), self.present().cloned())
    }

    /// `length` rows from row `offset` on.
    #[must_use]
    pub fn slice(&self, offset: usize, length: usize) -> Self {
        made_of!(self, array => array.slice(offset, length))
    }

    /// The named rows.
    pub(crate) fn take(&self, rows: &Fixed<u32>) -> Self {
        made_of!(self, array => array.take(rows))
    }

    /// The rows where `keep` is true.
    pub(crate) fn filter(&self, keep: &Bits) -> Self {
        made_of!(self, array => array.filter(keep))
    }

    /// The same, moved up in their own memory if nobody shares it.
    pub(crate) fn into_filtered(self, keep: &Bits) -> Self {
        Self(match self.0 {
            Form::Wide(array) => Form::Wide(array.into_filtered(keep)),
            Form::Narrow(array) => Form::Narrow(array.into_filtered(keep)),
        })
    }

    /// Where its values stand.
    #[cfg(test)]
    pub(in crate::table) fn address(&self) -> usize {
        each_form!(self, array => array.values().as_ptr() as usize)
    }

    /// Whether they stand in half the bytes.
    #[cfg(test)]
    pub(in crate::table) fn is_narrow(&self) -> bool {
        matches!(self.0, Form::Narrow(_))
    }

    /// Sets `bit` for each row whose value is not that of the row before, the first left out.
    pub(in crate::table) fn mark_changes(&self, bit: u64, changed: &mut [u64]) {
        each_form!(self, array => array.mark_changes(bit, changed));
    }
}

impl<T: Wide> From<Fixed<T>> for Whole<T> {
    fn from(values: Fixed<T>) -> Self {
        Self(Form::Wide(values))
    }
}

impl<T: Wide> From<Vec<T>> for Whole<T> {
    fn from(values: Vec<T>) -> Self {
        Fixed::from(values).into()
    }
}

impl<T: Wide> From<Vec<Option<T>>> for Whole<T> {
    fn from(values: Vec<Option<T>>) -> Self {
        Fixed::from(values).into()
    }
}

impl<T: Wide> FromIterator<Option<T>> for Whole<T> {
    fn from_iter<I: IntoIterator<Item = Option<T>>>(rows: I) -> Self {
        rows.into_iter().collect::<Fixed<T>>().into()
    }
}

/// Whole numbers that grow by arrays of them, in half the bytes as long as all fit.
pub(in crate::table) struct GrowingWhole<T: Wide> {
    narrow: Vec<T::Narrow>,
    /// All, once one did not fit.
    wide: Option<Vec<T>>,
    room: usize,
}

impl<T: Wide> GrowingWhole<T> {
    /// None yet; `room` are expected.
    pub fn new(room: usize) -> Self {
        Self { narrow: super::with_room(room), wide: None, room }
    }

    pub fn append(&mut self, part: &Whole<T>) {
        match (&mut self.wide, &part.0) {
            (Some(wide), Form::Wide(part)) => wide.extend_from_slice(part.values()),
            (Some(wide), Form::Narrow(_)) => wide.extend(part.all()),
            (None, Form::Narrow(part)) => self.narrow.extend_from_slice(part.values()),
            (None, Form::Wide(values)) => {
                let before = self.narrow.len();
                for value in values.values() {
                    match (*value).try_into() {
                        Ok(narrow) => self.narrow.push(narrow),
                        Err(_) => {
                            self.narrow.truncate(before);
                            self.widen().extend_from_slice(values.values());
                            return;
                        }
                    }
                }
            }
        }
    }

    /// Blanks, whose values have no meaning.
    pub fn append_blanks(&mut self, count: usize) {
        match &mut self.wide {
            Some(wide) => wide.resize(wide.len() + count, T::default()),
            None => self.narrow.resize(self.narrow.len() + count, T::Narrow::default()),
        }
    }

    fn widen(&mut self) -> &mut Vec<T> {
        let narrow = std::mem::take(&mut self.narrow);
        let room = self.room;
        self.wide.get_or_insert_with(|| {
            let mut wide = super::with_room(room);
            wide.extend(narrow.into_iter().map(T::from));
            wide
        })
    }

    pub fn finish(self, present: Option<Present>) -> Whole<T> {
        Whole(match self.wide {
            Some(wide) => Form::Wide(Fixed::new(wide, present)),
            None => Form::Narrow(Fixed::new(self.narrow, present)),
        })
    }
}
