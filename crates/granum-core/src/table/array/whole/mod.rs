//! Whole numbers in as few bytes as all of them need: of integers, and of the units of decimals, hardly any
//! needs all of its own.

mod growing;
mod short;

pub(in crate::table) use growing::GrowingWhole;

use super::{Bits, Fixed, Native, Present};

/// A whole number that mostly fits into fewer bytes than it has.
pub trait Wide:
    Native
    + Ord
    + From<i8>
    + From<i16>
    + From<i32>
    + From<i64>
    + TryInto<i8>
    + TryInto<i16>
    + TryInto<i32>
    + TryInto<i64>
{
}

impl Wide for i64 {}
impl Wide for i128 {}

/// Whole numbers, some of them blank. How many bytes they are held in is nobody's matter.
#[derive(Debug, Clone)]
pub struct Whole<T: Wide>(Form<T>);

#[derive(Debug, Clone)]
enum Form<T: Wide> {
    One(Fixed<i8>),
    Two(Fixed<i16>),
    Four(Fixed<i32>),
    Eight(Fixed<i64>),
    All(Fixed<T>),
}

/// How many bytes values are held in: their own number, if no fewer do.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Bytes {
    One,
    Two,
    Four,
    Eight,
    All,
}

macro_rules! each_form {
    ($whole:expr, $array:ident => $work:expr) => {
        match &$whole.0 {
            Form::One($array) => $work,
            Form::Two($array) => $work,
            Form::Four($array) => $work,
            Form::Eight($array) => $work,
            Form::All($array) => $work,
        }
    };
}

use each_form;

macro_rules! made_of {
    ($form:expr, $array:ident => $work:expr) => {
        Self(match $form {
            Form::One($array) => Form::One($work),
            Form::Two($array) => Form::Two($work),
            Form::Four($array) => Form::Four($work),
            Form::Eight($array) => Form::Eight($work),
            Form::All($array) => Form::All($work),
        })
    };
}

impl Bytes {
    /// As few as all of these need.
    fn of<T: Wide>(values: &[T]) -> Self {
        // Most columns that need all show it in their first rows.
        let mut bytes = Self::One;
        for run in values.chunks(1 << 8) {
            let (least, most) = ends(run);
            bytes = bytes.max(Self::of_one(least)).max(Self::of_one(most));
            if bytes == Self::All {
                break;
            }
        }
        bytes
    }

    /// How many they are, where `T` has all.
    fn size<T: Wide>(self) -> usize {
        match self {
            Self::One => 1,
            Self::Two => 2,
            Self::Four => 4,
            Self::Eight => 8,
            Self::All => size_of::<T>(),
        }
    }

    fn of_one<T: Wide>(value: T) -> Self {
        let all = if size_of::<T>() == size_of::<i64>() { Self::All } else { Self::Eight };
        let fits = |fits: bool, bytes: Self| fits.then_some(bytes);
        let one = TryInto::<i8>::try_into(value).is_ok();
        fits(one, Self::One)
            .or_else(|| fits(TryInto::<i16>::try_into(value).is_ok(), Self::Two))
            .or_else(|| fits(TryInto::<i32>::try_into(value).is_ok(), Self::Four))
            .or_else(|| fits(TryInto::<i64>::try_into(value).is_ok(), all))
            .unwrap_or(Self::All)
    }
}

/// The least and the greatest of some values and zero.
fn ends<N: Copy + Default + Ord>(values: &[N]) -> (N, N) {
    let none = (N::default(), N::default());
    values.iter().fold(none, |(least, most), value| (least.min(*value), most.max(*value)))
}

/// A value in all of its bytes.
#[inline]
fn wide<T: From<N>, N>(value: N) -> T {
    T::from(value)
}

/// A value in bytes that it fits into.
fn fitting<T: Wide + TryInto<N>, N: Native>(value: T) -> N {
    value.try_into().unwrap_or_default()
}

fn in_fewer<T: Wide + TryInto<N>, N: Native>(values: &[T]) -> Vec<N> {
    values.iter().copied().map(fitting).collect()
}

impl<T: Wide> Whole<T> {
    /// Values, and which of them there are; all where that is not said.
    pub fn new(values: Vec<T>, present: Option<Present>) -> Self {
        Self(Form::All(Fixed::new(values, present)))
    }

    /// A copy of values, in as few bytes as all need, and which of them there are; all where that is not said.
    pub fn of<N: Wide>(values: &[N], present: Option<Present>) -> Self
    where
        T: From<N>,
    {
        Self(match Bytes::of(values) {
            Bytes::One => Form::One(Fixed::new(in_fewer(values), present)),
            Bytes::Two => Form::Two(Fixed::new(in_fewer(values), present)),
            Bytes::Four => Form::Four(Fixed::new(in_fewer(values), present)),
            Bytes::All if size_of::<N>() == size_of::<T>() => {
                Form::All(Fixed::new(values.iter().map(|value| T::from(*value)).collect(), present))
            }
            Bytes::Eight | Bytes::All => Form::Eight(Fixed::new(in_fewer(values), present)),
        })
    }

    /// So many blanks.
    pub fn blank(rows: usize) -> Self {
        Self(Form::One(Fixed::blank(rows)))
    }

    /// The same in as few bytes as all need.
    #[must_use]
    pub fn narrowed(self) -> Self {
        match &self.0 {
            Form::All(wide) if Bytes::of(wide.values()) < Bytes::All => {
                Self::of(wide.values(), wide.present().cloned())
            }
            _ => self,
        }
    }

    fn bytes(&self) -> Bytes {
        match &self.0 {
            Form::One(_) => Bytes::One,
            Form::Two(_) => Bytes::Two,
            Form::Four(_) => Bytes::Four,
            Form::Eight(_) => Bytes::Eight,
            Form::All(_) => Bytes::All,
        }
    }

    /// As few bytes as all values need: what was worked comes as it is, in all of its own.
    fn needed(&self) -> Bytes {
        match &self.0 {
            Form::All(wide) => Bytes::of(wide.values()),
            _ => self.bytes(),
        }
    }

    /// Adds how many bytes each value stands in, and the bytes of all.
    pub(crate) fn put(&self, out: &mut Vec<u8>) {
        out.push(self.width() as u8);
        each_form!(self, array => Native::put(array.values(), out));
    }

    /// The values that such bytes are of; `None` where values do not stand in so many.
    pub(crate) fn got(width: usize, bytes: &[u8], present: Option<Present>) -> Option<Self> {
        Some(Self(match width {
            1 => Form::One(Fixed::new(Native::got(bytes), present)),
            2 => Form::Two(Fixed::new(Native::got(bytes), present)),
            4 => Form::Four(Fixed::new(Native::got(bytes), present)),
            _ if width == size_of::<T>() => Form::All(Fixed::new(Native::got(bytes), present)),
            8 => Form::Eight(Fixed::new(Native::got(bytes), present)),
            _ => return None,
        }))
    }

    /// How many bytes each value stands in.
    fn width(&self) -> usize {
        match &self.0 {
            Form::One(_) => 1,
            Form::Two(_) => 2,
            Form::Four(_) => 4,
            Form::Eight(_) => 8,
            Form::All(_) => size_of::<T>(),
        }
    }

    /// The bytes that its values stand in.
    pub(in crate::table) fn bytes_held(&self) -> usize {
        self.width() * self.len()
    }

    /// Where its values stand.
    pub(in crate::table) fn address(&self) -> usize {
        each_form!(self, array => array.values().as_ptr() as usize)
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
    // Asked for every value of every row, and too large to be put in its place unasked.
    #[allow(clippy::inline_always)]
    #[inline(always)]
    pub fn value(&self, row: usize) -> T {
        each_form!(self, array => wide(array.value(row)))
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

    /// All values one after the other, those of blanks among them, which have no meaning.
    pub(crate) fn fold<A>(&self, start: A, mut add: impl FnMut(A, T) -> A) -> A {
        each_form!(self, array => {
            array.values().iter().fold(start, |all, value| add(all, wide(*value)))
        })
    }

    /// Another value for each, blank for blank.
    pub fn map<O: Native>(&self, work: impl Fn(T) -> O) -> Fixed<O> {
        let present = self.present().cloned();
        each_form!(self, array => {
            let values = array.values().iter().map(|value| work(wide(*value)));
            Fixed::new(values.collect(), present)
        })
    }

    /// `length` rows from row `offset` on.
    #[must_use]
    pub fn slice(&self, offset: usize, length: usize) -> Self {
        made_of!(&self.0, array => array.slice(offset, length))
    }

    /// The named rows.
    pub(crate) fn take(&self, rows: &Fixed<u32>) -> Self {
        made_of!(&self.0, array => array.take(rows))
    }

    /// The rows where `keep` is true.
    pub(crate) fn filter(&self, keep: &Bits) -> Self {
        made_of!(&self.0, array => array.filter(keep))
    }

    /// The same, moved up in their own memory if nobody shares it.
    pub(crate) fn into_filtered(self, keep: &Bits) -> Self {
        made_of!(self.0, array => array.into_filtered(keep))
    }

    /// How many bytes each of them stands in.
    #[cfg(test)]
    pub(in crate::table) fn size(&self) -> usize {
        each_form!(self, array => array.values().first().map_or(0, size_of_val))
    }

    /// Sets 1 for each row whose value is not that of the row before, the first left out.
    pub(in crate::table) fn mark_changes(&self, changed: &mut [u8]) {
        each_form!(self, array => array.mark_changes(changed));
    }

    /// What [`super::fixed::mark_rises`] says. No value is blank.
    pub(in crate::table) fn mark_rises(&self, level: &mut [u8]) -> bool {
        each_form!(self, array => array.mark_rises(level))
    }
}

impl From<Vec<i64>> for Whole<i128> {
    fn from(values: Vec<i64>) -> Self {
        Self(Form::Eight(values.into()))
    }
}

impl<T: Wide> From<Fixed<T>> for Whole<T> {
    fn from(values: Fixed<T>) -> Self {
        Self(Form::All(values))
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
