//! Whole numbers that grow at their end.

use super::{Bytes, Fixed, Form, Native, Present, Whole, Wide, each_form, fitting, wide};

/// Whole numbers that grow by arrays of them, in as few bytes as all need.
pub(in crate::table) struct GrowingWhole<T: Wide> {
    values: Growing<T>,
    room: usize,
}

enum Growing<T: Wide> {
    One(Vec<i8>),
    Two(Vec<i16>),
    Four(Vec<i32>),
    Eight(Vec<i64>),
    All(Vec<T>),
}

macro_rules! each_growing {
    ($growing:expr, $values:ident => $work:expr) => {
        match $growing {
            Growing::One($values) => $work,
            Growing::Two($values) => $work,
            Growing::Four($values) => $work,
            Growing::Eight($values) => $work,
            Growing::All($values) => $work,
        }
    };
}

impl<T: Wide> GrowingWhole<T> {
    /// None yet; `room` are expected.
    pub fn new(room: usize) -> Self {
        Self { values: Growing::One(crate::table::array::with_room(room)), room }
    }

    pub fn append(&mut self, part: &Whole<T>) {
        let needed = part.needed();
        if needed > self.bytes() {
            self.widen(needed);
        }
        match (&mut self.values, &part.0) {
            (Growing::One(values), Form::One(part)) => values.extend_from_slice(part.values()),
            (Growing::Two(values), Form::Two(part)) => values.extend_from_slice(part.values()),
            (Growing::Four(values), Form::Four(part)) => values.extend_from_slice(part.values()),
            (Growing::Eight(values), Form::Eight(part)) => values.extend_from_slice(part.values()),
            (Growing::All(values), Form::All(part)) => values.extend_from_slice(part.values()),
            (values, _) => {
                each_growing!(values, values => each_form!(part, part => extend::<T, _, _>(values, part.values())));
            }
        }
    }

    /// Blanks, whose values have no meaning.
    pub fn append_blanks(&mut self, count: usize) {
        each_growing!(&mut self.values, values => values.resize(values.len() + count, Default::default()));
    }

    /// The bytes that its values would stand in anew, if `more` came, of which these are some: none where those have room behind
    /// them and fit as they are held.
    pub fn moved_by<'a>(&self, more: usize, parts: impl Iterator<Item = &'a Whole<T>>) -> usize
    where
        T: 'a,
    {
        let needed = parts.map(Whole::needed).fold(self.bytes(), Bytes::max);
        each_growing!(&self.values, values => {
            let fit = needed == self.bytes() && more <= values.capacity() - values.len();
            if fit { 0 } else { (values.len() + more) * needed.size::<T>() }
        })
    }

    fn bytes(&self) -> Bytes {
        match &self.values {
            Growing::One(_) => Bytes::One,
            Growing::Two(_) => Bytes::Two,
            Growing::Four(_) => Bytes::Four,
            Growing::Eight(_) => Bytes::Eight,
            Growing::All(_) => Bytes::All,
        }
    }

    /// What has come goes over into more bytes.
    fn widen(&mut self, bytes: Bytes) {
        let old = std::mem::replace(&mut self.values, Growing::One(vec![]));
        let room = self.room;
        self.values = each_growing!(old, old => {
            let old = old.into_iter().map(wide::<T, _>);
            match bytes {
                Bytes::One => Growing::One(grown(old, room)),
                Bytes::Two => Growing::Two(grown(old, room)),
                Bytes::Four => Growing::Four(grown(old, room)),
                Bytes::Eight => Growing::Eight(grown(old, room)),
                Bytes::All => Growing::All(grown(old, room)),
            }
        });
    }

    /// The bytes that its values stand in.
    pub fn bytes_held(&self) -> usize {
        each_growing!(&self.values, values => size_of_val(values.as_slice()))
    }

    pub fn finish(self, present: Option<Present>) -> Whole<T> {
        Whole(match self.values {
            Growing::One(values) => Form::One(Fixed::new(values, present)),
            Growing::Two(values) => Form::Two(Fixed::new(values, present)),
            Growing::Four(values) => Form::Four(Fixed::new(values, present)),
            Growing::Eight(values) => Form::Eight(Fixed::new(values, present)),
            Growing::All(values) => Form::All(Fixed::new(values, present)),
        })
    }
}

/// Adds values that fit.
fn extend<T: Wide + From<P> + TryInto<N>, P: Native, N: Native>(values: &mut Vec<N>, part: &[P]) {
    values.extend(part.iter().map(|value| fitting::<T, N>(T::from(*value))));
}

/// Values in other bytes, with room for more.
fn grown<T: Wide + TryInto<N>, N: Native>(old: impl Iterator<Item = T>, room: usize) -> Vec<N> {
    let mut values = crate::table::array::with_room(room);
    values.extend(old.map(fitting::<T, N>));
    values
}
