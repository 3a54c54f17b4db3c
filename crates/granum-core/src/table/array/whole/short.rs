//! Whole numbers that all stand in four bytes or fewer, as nearly all do: what is worked with two of them fits
//! into eight, so that no row has to be asked whether it does.

use std::borrow::Cow;

use super::{Bytes, Fixed, Form, Present, Whole, Wide, ends};

impl<T: Wide> Whole<T> {
    /// Each row's value, where all stand in four bytes or fewer; of a blank row something without a meaning.
    pub fn short(&self) -> Option<Cow<'_, [i32]>> {
        match &self.0 {
            Form::One(array) => Some(Cow::Owned(in_four(array.values()))),
            Form::Two(array) => Some(Cow::Owned(in_four(array.values()))),
            Form::Four(array) => Some(Cow::Borrowed(array.values())),
            Form::Eight(_) | Form::All(_) => None,
        }
    }

    /// Values of four bytes, in as few as all need, and which of them there are; all where that is not said.
    pub(crate) fn of_short(values: Vec<i32>, present: Option<Present>) -> Self {
        let (least, most) = ends(&values);
        let bytes = Bytes::of_one(i64::from(least)).max(Bytes::of_one(i64::from(most)));
        Self(match bytes {
            Bytes::One => {
                Form::One(Fixed::new(values.iter().map(|value| *value as i8).collect(), present))
            }
            Bytes::Two => {
                Form::Two(Fixed::new(values.iter().map(|value| *value as i16).collect(), present))
            }
            _ => Form::Four(Fixed::new(values, present)),
        })
    }

    /// One value on so many rows.
    pub(crate) fn repeated(value: T, rows: usize) -> Self {
        match Self::of(&[value], None).0 {
            Form::One(one) => Self(Form::One(vec![one.value(0); rows].into())),
            Form::Two(one) => Self(Form::Two(vec![one.value(0); rows].into())),
            Form::Four(one) => Self(Form::Four(vec![one.value(0); rows].into())),
            Form::Eight(one) => Self(Form::Eight(vec![one.value(0); rows].into())),
            Form::All(one) => Self(Form::All(vec![one.value(0); rows].into())),
        }
    }

    /// The sum of the values that there are; `None` where it has more digits than fit.
    pub(crate) fn sum(&self) -> Option<i128>
    where
        i128: From<T>,
    {
        if let Some(short) = self.short() {
            // At most 2^32 rows.
            let sum = |values: &[i32]| values.iter().map(|value| i64::from(*value)).sum::<i64>();
            let all = self.present().map_or_else(
                || sum(&short),
                |present| present.bits().runs().map(|(from, to)| sum(&short[from..to])).sum(),
            );
            return Some(all.into());
        }
        let add = |sum: Option<i128>, value: i128| sum?.checked_add(value);
        match self.present() {
            None => self.fold(Some(0), |sum, value| add(sum, value.into())),
            Some(_) => self.iter().flatten().map(i128::from).fold(Some(0), add),
        }
    }
}

fn in_four<N: Copy + Into<i32>>(values: &[N]) -> Vec<i32> {
    values.iter().map(|value| (*value).into()).collect()
}
