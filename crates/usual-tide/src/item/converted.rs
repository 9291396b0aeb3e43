//! Fields whose types are other crates', which cannot be given [`FieldValue`].

use super::any_field::AnyField;
use super::choice::Choice;
use super::field::Field;
use super::field_access::{FieldAccess, missing_part};
use super::field_value::FieldValue;
use super::input::InputError;
use super::value::{Kind, Value};
use std::cmp::Ordering;
use std::fmt::Display;
use std::str::FromStr;

/// A field that is read and written as another type.
struct Converted<T, V, W> {
    field: Field<T, V>,
    read: fn(&V) -> W,
    write: fn(W) -> V,
}

impl<T: 'static, V: Clone + 'static> Field<T, V> {
    /// The field, read, shown and typed as another type: for a type of another crate, which cannot be given [`FieldValue`].
    /// `#[item(through = Type)]` writes this.
    ///
    /// ```
    /// use std::time::Duration;
    /// use usual_tide::fields::Value;
    /// use usual_tide::{Fields, FieldValue, Item};
    ///
    /// #[derive(Clone, PartialEq, FieldValue)]
    /// struct Minutes(u64);
    ///
    /// impl From<Duration> for Minutes {
    ///     fn from(time: Duration) -> Self { Self(time.as_secs() / 60) }
    /// }
    ///
    /// impl From<Minutes> for Duration {
    ///     fn from(minutes: Minutes) -> Self { Self::from_secs(minutes.0 * 60) }
    /// }
    ///
    /// #[derive(Clone, PartialEq, Item)]
    /// struct Piece {
    ///     #[item(key)]
    ///     id: u32,
    ///     #[item(through = Minutes)]
    ///     soaked: Duration,
    ///     #[item(through = Minutes)]
    ///     cooled: Option<Duration>,
    /// }
    ///
    /// let mut piece = Piece { id: 1, soaked: Duration::from_secs(600), cooled: None };
    /// let soaked = Piece::field_named("soaked").ok_or("no such field")?;
    /// assert_eq!(soaked.value(&piece), Value::Integer(10));
    /// soaked.read(&mut piece, "15")?;
    /// assert_eq!(piece.soaked, Duration::from_secs(900));
    /// assert!(soaked.read(&mut piece, "long").is_err());
    /// Piece::field_named("cooled").ok_or("no such field")?.read(&mut piece, "90")?;
    /// assert_eq!(piece.cooled, Some(Duration::from_secs(5400)));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn through<W: FieldValue>(self, read: fn(&V) -> W, write: fn(W) -> V) -> AnyField<T> {
        let (name, path, order) = (self.name().to_owned(), self.path(), self.natural_order());
        let field = self;
        AnyField::new(name, Converted { field, read, write })
            .with_natural_order(order)
            .at(path)
    }

    /// The field, read, shown and typed as its text: for a type of another crate that has one. `#[item(text)]` writes this.
    ///
    /// ```
    /// use std::net::IpAddr;
    /// use usual_tide::{Fields, Item, Query, Store};
    /// use usual_tide::query::FilterText;
    ///
    /// #[derive(Clone, PartialEq, Item)]
    /// struct Kiln { #[item(key)] id: u32, #[item(text)] address: IpAddr, #[item(text)] spare: Option<IpAddr> }
    ///
    /// let mut kiln = Kiln { id: 1, address: "10.0.0.7".parse()?, spare: None };
    /// let address = Kiln::field_named("address").ok_or("no such field")?;
    /// assert_eq!(address.shown(&kiln), "10.0.0.7");
    /// assert!(address.read(&mut kiln, "the large one").is_err());
    /// address.read(&mut kiln, "10.0.0.9")?;
    ///
    /// let mut store = Store::load([kiln])?;
    /// # #[cfg(feature = "cql2")] {
    /// let filter: FilterText = "address = '10.0.0.9' AND spare IS NULL".parse()?;
    /// let list = store.bind(Query::new().filter(filter.check()?));
    /// assert_eq!(store.list(list)?.len(), 1);
    /// # }
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn as_text(self) -> AnyField<T>
    where
        V: Display + FromStr<Err: Display> + Send + Sync,
    {
        self.through(|value| AsText(value.clone()), |text| text.0)
    }
}

impl<T: 'static, V: Display + FromStr<Err: Display> + Clone + Send + Sync + 'static>
    Field<T, Option<V>>
{
    /// The same for a field whose value may be missing.
    ///
    /// ```
    /// use std::net::IpAddr;
    /// use usual_tide::{Field, fields::Value};
    ///
    /// struct Kiln { spare: Option<IpAddr> }
    ///
    /// let spare = Field::new("spare", |kiln: &Kiln| &kiln.spare, |kiln| &mut kiln.spare).as_optional_text();
    /// let mut kiln = Kiln { spare: None };
    /// assert_eq!(spare.value(&kiln), Value::Missing);
    /// spare.read(&mut kiln, "10.0.0.9")?;
    /// assert_eq!(spare.typed(&kiln), "10.0.0.9");
    /// # Ok::<(), usual_tide::fields::InputError>(())
    /// ```
    pub fn as_optional_text(self) -> AnyField<T> {
        self.through(
            |value| value.clone().map(AsText),
            |text| text.map(|text| text.0),
        )
    }
}

impl<T: 'static, V: Clone + 'static, W: FieldValue> FieldAccess<T> for Converted<T, V, W> {
    fn is_named(&self) -> bool {
        true
    }

    fn kind(&self) -> Kind {
        W::KIND
    }

    fn value<'a>(&self, item: &'a T) -> Value<'a> {
        self.converted(item)
            .map_or(Value::Missing, |value| value.value().into_owned())
    }

    fn set(&self, item: &mut T, value: Value<'_>) -> Result<(), InputError> {
        self.put(item, W::from_value(value)?)
    }

    fn shown(&self, item: &T) -> String {
        self.converted(item)
            .map(|value| value.shown())
            .unwrap_or_default()
    }

    fn typed(&self, item: &T) -> String {
        self.converted(item)
            .map(|value| value.typed())
            .unwrap_or_default()
    }

    fn read(&self, item: &mut T, text: &str) -> Result<(), InputError> {
        self.put(item, W::read(text)?)
    }

    fn copy(&self, from: &T, to: &mut T) {
        if let (Some(from), Some(to)) = (self.field.get(from), self.field.get_mut(to)) {
            *to = from.clone();
        }
    }

    fn compare(&self, item: &T, value: &Value<'_>) -> Option<Ordering> {
        self.converted(item)?.compare_to(value)
    }

    fn equals(&self, item: &T, value: &Value<'_>) -> Option<bool> {
        self.converted(item)?.equals(value)
    }

    fn choices(&self) -> &'static [Choice] {
        W::choices()
    }
}

impl<T: 'static, V: Clone + 'static, W: FieldValue> Converted<T, V, W> {
    fn converted(&self, item: &T) -> Option<W> {
        self.field.get(item).map(self.read)
    }

    fn put(&self, item: &mut T, value: W) -> Result<(), InputError> {
        let missing = || missing_part(&self.field);
        let place = self.field.get_mut(item).ok_or_else(missing)?;
        *place = (self.write)(value);
        Ok(())
    }
}

/// A value that is known by its text.
#[derive(Clone)]
struct AsText<V>(V);

impl<V: Display + FromStr<Err: Display> + Clone + Send + Sync + 'static> FieldValue for AsText<V> {
    const KIND: Kind = Kind::Text;

    fn value(&self) -> Value<'_> {
        Value::from(self.0.to_string())
    }

    fn from_value(value: Value<'_>) -> Result<Self, InputError> {
        match &value {
            Value::Missing => Err(InputError::Needed {
                expected: Kind::Text,
            }),
            Value::Text(text) => Self::read(text),
            other => Err(InputError::not_a(Kind::Text, other)),
        }
    }

    fn read(text: &str) -> Result<Self, InputError> {
        let read = text.parse().or_else(|_| text.trim().parse());
        let read = read.map_err(|why: V::Err| InputError::Other(format!("{text:?}: {why}")));
        read.map(Self)
    }
}
