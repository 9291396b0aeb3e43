//! The fields of some records, and what they hold.

use super::block::Tag;
use super::field::Member;
use super::item::Record;
use super::name::FieldName;
use super::shape::{FieldPosition, MemberNames};
use crate::item::{AnyField, FieldPath, Kind, read_date, read_timestamp};
use crate::query::{FieldLookup, nearest};
use hashbrown::HashMap;

/// The fields that some records have, with the kind of value in each: inferred over all of them, or
/// stated.
///
/// A field is of a kind when all its values are that are not null. Text is a date where each is a real
/// day written `2026-03-05`, and a timestamp where each is one by RFC 3339, with its offset: they compare
/// by the instant. A field of several kinds is [`Kind::Any`]: its values are what they are, one by one.
/// Numbers keep their text and compare by their exact value (up to 28 digits).
///
/// ```
/// use usual_tide::record::{FieldName, Schema, parse};
/// use usual_tide::{Query, Sort};
/// use usual_tide::fields::Kind;
/// use usual_tide::query::FilterText;
///
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// let text = r#"[{"id": 1, "fee": {"amount": "4.50"}, "received": "2026-03-01T09:30:00+02:00"},
///                {"id": 2, "fee": {"amount": "12.00"}, "received": "2026-03-01T08:00:00Z"}]"#;
/// let records = parse(text, &FieldName::parse("id")?)?;
/// let mut schema = Schema::infer(&records);
/// assert_eq!(schema.kind("received"), Some(Kind::Timestamp));
/// assert_eq!(schema.kind("fee.amount"), Some(Kind::Text));
/// // An amount that is written as text, to keep its digits:
/// schema.state("fee.amount", Kind::Decimal)?;
///
/// let filter: FilterText = "fee.amount > 5 AND received >= TIMESTAMP('2026-03-01T08:00:00Z')".parse()?;
/// let query = Query::new()
///     .filter(filter.check_with(&schema)?)
///     .sort(Sort::parse_with("received", &schema)?);
/// # let _ = query;
/// # Ok(()) }
/// ```
#[derive(Clone, Debug, Default)]
pub struct Schema {
    fields: Vec<Described>,
    /// Where each field is among these, by its name and by its JSON Pointer.
    places: HashMap<String, usize>,
}

/// A field and what it holds.
#[derive(Clone, Debug)]
struct Described {
    name: String,
    path: FieldPath,
    kind: Kind,
}

/// No field has this name.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[error("no record has a field {0:?}")]
pub struct UnknownField(pub String);

impl Schema {
    /// The fields of these records, those of objects in them by dotted names. O(members).
    pub fn infer<'a>(records: impl IntoIterator<Item = &'a Record>) -> Self {
        let mut root = Seen::default();
        // What records of one shape hold is noted value by value, and names are looked at once for each shape.
        let mut shapes: Vec<(&MemberNames, Vec<Kinds>)> = Vec::new();
        let mut places: HashMap<*const MemberNames, usize> = HashMap::new();
        for record in records {
            let block = record.block();
            let names: &MemberNames = &block.names;
            if shapes.len() == MOST_SHAPES && !places.contains_key(&std::ptr::from_ref(names)) {
                root.see_shapes(&mut shapes);
                places.clear();
            }
            let place = *places.entry(names).or_insert_with(|| {
                shapes.push((names, vec![Kinds::default(); names.values()]));
                shapes.len() - 1
            });
            for (kinds, (tag, text)) in shapes[place].1.iter_mut().zip(block.values().iter()) {
                kinds.see(tag, text);
            }
        }
        root.see_shapes(&mut shapes);
        let mut schema = Self::default();
        schema.add_members(&root, &mut Vec::new(), &root);
        schema
    }

    /// The names of the fields with what they hold, in the order in which they first occur.
    pub fn fields(&self) -> impl Iterator<Item = (&str, Kind)> {
        self.fields.iter().map(|field| (&*field.name, field.kind))
    }

    /// What a field holds.
    pub fn kind(&self, name: &str) -> Option<Kind> {
        Some(self.fields[self.place(name)?].kind)
    }

    /// States what a field holds, whatever it looks like: an amount that is written as text, say. A value
    /// that is none of that kind stays what it is.
    ///
    /// # Errors
    ///
    /// [`UnknownField`] when no record has such a field.
    pub fn state(&mut self, name: &str, kind: Kind) -> Result<(), UnknownField> {
        let place = self
            .place(name)
            .ok_or_else(|| UnknownField(name.to_owned()))?;
        self.fields[place].kind = kind;
        Ok(())
    }

    fn place(&self, name: &str) -> Option<usize> {
        let at = |pointer: &str| self.places.get(pointer).copied();
        let ways = || -> Option<usize> {
            let name = FieldName::parse(name).ok()?;
            let member = name.whole().map(FieldPath::of_member);
            member
                .and_then(|member| at(member.as_pointer()))
                .or_else(|| at(name.path().as_pointer()))
        };
        at(name).or_else(ways)
    }

    fn add_members(&mut self, seen: &Seen, steps: &mut Vec<String>, root: &Seen) {
        for name in &seen.order {
            let Some(member) = seen.members.get(name) else {
                continue;
            };
            steps.push(name.clone());
            if let Some(kind) = member.kind() {
                let path = FieldPath::of_members(&*steps);
                let name = shown(steps, root);
                for known_by in [path.as_pointer().to_owned(), name.clone()] {
                    self.places.insert(known_by, self.fields.len());
                }
                self.fields.push(Described { name, path, kind });
            }
            self.add_members(member, steps, root);
            steps.pop();
        }
    }
}

/// A name as a person writes it, which finds this field alone: `root` may have a member whose own name is that of a way, with dots.
fn shown(steps: &[String], root: &Seen) -> String {
    let path = FieldPath::of_members(steps);
    match (steps, path.to_string()) {
        ([only], _) if only.contains('.') && !only.starts_with('/') && !root.has_way(only) => {
            only.clone()
        }
        ([_, _, ..], name) if root.members.contains_key(&name) => path.as_pointer().to_owned(),
        (_, name) => name,
    }
}

impl Schema {
    /// The name that was probably meant by one that no field has.
    ///
    /// ```
    /// use usual_tide::record::{FieldName, Schema, parse};
    ///
    /// let records = parse(r#"[{"id": 1, "height_mm": 95}]"#, &FieldName::parse("id")?)?;
    /// assert_eq!(Schema::infer(&records).nearest("heigth_mm"), Some("height_mm".to_owned()));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn nearest(&self, name: &str) -> Option<String> {
        nearest(name, self)
    }
}

impl FieldLookup<Record> for Schema {
    fn field(&self, name: &str) -> Option<AnyField<Record>> {
        let field = &self.fields[self.place(name)?];
        let name = FieldName::parse(&field.name).ok()?;
        let pointer = field.path.as_pointer();
        let member = match name.members().len() > 1 && pointer != name.path().as_pointer() {
            true => Member::with_dots(name, FieldName::parse(pointer).ok()?, field.kind),
            false => Member::new(name, field.kind),
        };
        Some(AnyField::new(field.name.as_str(), member).at(field.path.clone()))
    }

    fn names(&self) -> Vec<String> {
        self.fields.iter().map(|field| field.name.clone()).collect()
    }
}

/// Shapes whose values are noted at the same time.
const MOST_SHAPES: usize = if cfg!(any(test, fuzzing)) { 4 } else { 1024 };

/// What was seen under a name.
#[derive(Default)]
struct Seen {
    kinds: Kinds,
    members: HashMap<String, Seen>,
    /// The members' names in the order in which they first occur.
    order: Vec<String>,
}

impl Seen {
    fn see_shapes(&mut self, shapes: &mut Vec<(&MemberNames, Vec<Kinds>)>) {
        for (names, kinds) in shapes.drain(..) {
            self.see_members(names, (0, names.len()), &kinds);
        }
    }

    /// The members of an object, its steps among all of its shape.
    fn see_members(&mut self, names: &MemberNames, (from, end): (usize, usize), kinds: &[Kinds]) {
        let mut at = from;
        while at < end {
            if let Some(position) = names.position_at(at) {
                let name = names.name(at);
                if !self.members.contains_key(name) {
                    self.order.push(name.to_owned());
                }
                let member = self.members.entry_ref(name).or_default();
                match position {
                    FieldPosition::Value(value) => member.kinds.0 |= kinds[value].0,
                    FieldPosition::Object { from, end } => {
                        member.see_members(names, (from, end), kinds)
                    }
                }
            }
            at = names.after(at);
        }
    }

    /// Whether a name with dots is a way into objects.
    fn has_way(&self, dotted: &str) -> bool {
        let way = dotted
            .split('.')
            .try_fold(self, |seen, step| seen.members.get(step));
        dotted.contains('.') && way.is_some()
    }

    /// What it holds; none when it is nothing but an object.
    fn kind(&self) -> Option<Kind> {
        match self.kinds.without_nulls().0 {
            0 => (self.kinds.has(Kinds::NULL) && self.members.is_empty()).then_some(Kind::Any),
            _ if !self.members.is_empty() => Some(Kind::Any),
            kinds => Some(Kinds(kinds).joint()),
        }
    }
}

/// The kinds of values that were seen, a bit for each.
#[derive(Clone, Copy, Default)]
struct Kinds(u8);

impl Kinds {
    const NULL: Self = Self(1);
    const BOOL: Self = Self(2);
    const INTEGER: Self = Self(4);
    const DECIMAL: Self = Self(8);
    const TEXT: Self = Self(16);
    const DATE: Self = Self(32);
    const TIMESTAMP: Self = Self(64);
    const LIST: Self = Self(128);

    fn has(self, kind: Self) -> bool {
        self.0 & kind.0 != 0
    }

    fn without_nulls(self) -> Self {
        Self(self.0 & !Self::NULL.0)
    }

    fn see(&mut self, tag: Tag, text: &str) {
        let kind = match tag {
            Tag::Null => Self::NULL,
            Tag::False | Tag::True => Self::BOOL,
            Tag::Number if text.parse::<i128>().is_ok() => Self::INTEGER,
            Tag::Number => Self::DECIMAL,
            Tag::List | Tag::Object => Self::LIST,
            // Once some text is nothing else there is no need to look at more of it; a long one is none.
            Tag::Shared => Self::TEXT,
            Tag::Text if self.has(Self::TEXT) => return,
            Tag::Text if read_date(text).is_some() => Self::DATE,
            Tag::Text if read_timestamp(text).is_some() => Self::TIMESTAMP,
            Tag::Text => Self::TEXT,
        };
        self.0 |= kind.0;
    }

    /// The kind of all of them.
    fn joint(self) -> Kind {
        let within = |kinds: &[Self]| {
            let all = kinds.iter().fold(0, |all, kind| all | kind.0);
            self.0 & !all == 0
        };
        match self {
            _ if within(&[Self::BOOL]) => Kind::Bool,
            _ if within(&[Self::INTEGER]) => Kind::Integer,
            _ if within(&[Self::INTEGER, Self::DECIMAL]) => Kind::Decimal,
            _ if within(&[Self::DATE]) => Kind::Date,
            _ if within(&[Self::TIMESTAMP]) => Kind::Timestamp,
            // Some of it looks like a day or a moment and some does not: it is text.
            _ if within(&[Self::TEXT, Self::DATE, Self::TIMESTAMP]) => Kind::Text,
            _ if within(&[Self::LIST]) => Kind::List,
            _ => Kind::Any,
        }
    }
}
