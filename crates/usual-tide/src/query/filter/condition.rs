//! Conditions on fields, composed with AND, OR and NOT.

use super::comparison::Comparison;
use super::like::Pattern;
use super::listed::Listed;
use super::operand::Operand;
use crate::item::{AnyField, Tester, Value};
use std::cmp::Ordering;
use std::fmt;
use std::sync::Arc;

/// A condition on the fields of an item, checked against them beforehand.
///
/// It is made by the methods of [`Field`](crate::Field), by [`FilterText`](super::FilterText), and from other
/// conditions. A missing value makes it neither true nor false but unknown (three-valued logic, as in
/// SQL): only items for which it is true are shown, and its opposite leaves out the unknown ones too.
///
/// ```
/// use usual_tide::{Item, Query};
///
/// #[derive(Clone, PartialEq, Item)]
/// struct Piece { #[item(key)] id: u32, glaze: Option<String>, height_mm: u32, fired: bool }
///
/// let tall = Piece::HEIGHT_MM.at_least(200).and(Piece::FIRED.is(false));
/// let unglazed = Piece::GLAZE.is_missing();
/// let piece = Piece { id: 1, glaze: None, height_mm: 240, fired: false };
/// assert_eq!(tall.clone().and(unglazed.clone()).test(&piece), Some(true));
/// assert_eq!(Piece::GLAZE.is(Some("clear".into())).test(&piece), None);
///
/// let query = Query::new().filter(tall.or(!unglazed));
/// # let _: Query<Piece> = query;
/// ```
pub struct Condition<T> {
    node: Arc<Node<T>>,
    fields: Arc<[AnyField<T>]>,
    /// Whether these are all that it reads.
    knows_fields: bool,
}

#[cfg_attr(
    not(feature = "cql2"),
    allow(dead_code, reason = "some are made by text alone")
)]
pub(super) enum Node<T> {
    Always(bool),
    Not(Box<Node<T>>),
    All(Vec<Node<T>>),
    Any(Vec<Node<T>>),
    /// A part that another condition has too.
    Shared(Arc<Node<T>>),
    /// A field against a value: what most conditions are.
    Field(Box<FieldTest<T>>, Tester<T>),
    Compare(Operand<T>, Comparison, Operand<T>),
    /// A text against a pattern, and the pattern as it was written.
    Like(Operand<T>, Pattern, Operand<T>),
    Between(Operand<T>, Operand<T>, Operand<T>),
    In(Operand<T>, Listed<T>),
    IsMissing(Operand<T>),
    /// A closure of the app's.
    Closure(Closure<T>),
}

/// A way in which conditions are joined.
#[derive(Clone, Copy, PartialEq)]
enum Join {
    All,
    Any,
}

impl Join {
    fn of<T>(self, parts: Vec<Node<T>>) -> Node<T> {
        match self {
            Self::All => Node::All(parts),
            Self::Any => Node::Any(parts),
        }
    }

    /// A node as parts of what is to be joined: its own parts, if it was joined in the same way.
    fn parts<T>(self, node: Arc<Node<T>>) -> Vec<Node<T>> {
        let node = match Arc::try_unwrap(node) {
            Ok(Node::All(parts)) if self == Self::All => return parts,
            Ok(Node::Any(parts)) if self == Self::Any => return parts,
            Ok(node) => Arc::new(node),
            Err(shared) => shared,
        };
        let again = match (self, &*node) {
            (Self::All, Node::All(parts)) | (Self::Any, Node::Any(parts)) => {
                let again = |part: &Node<T>| match part {
                    Node::Shared(part) => Some(Node::Shared(Arc::clone(part))),
                    _ => None,
                };
                parts.iter().map(again).collect::<Option<Vec<_>>>()
            }
            _ => None,
        };
        again.unwrap_or_else(|| vec![Node::Shared(node)])
    }
}

/// What a test of a field is made of.
pub(super) struct FieldTest<T> {
    pub(super) field: AnyField<T>,
    pub(super) comparison: Comparison,
    pub(super) value: Value<'static>,
}

/// A closure of the app's.
type Closure<T> = Arc<dyn Fn(&T) -> bool + Send + Sync>;

impl<T: 'static> Node<T> {
    pub(super) fn field(field: AnyField<T>, comparison: Comparison, value: Value<'static>) -> Self {
        let tester = field.tester(comparison.accepts(), value.clone());
        let test = FieldTest {
            field,
            comparison,
            value,
        };
        Self::Field(Box::new(test), tester)
    }
}

impl<T> Node<T> {
    /// Most nodes are tests of one field, which are worth no more than a call.
    #[inline]
    fn test(&self, item: &T) -> Option<bool> {
        match self {
            Self::Field(_, tester) => tester(item),
            other => other.test_whole(item),
        }
    }

    fn test_whole(&self, item: &T) -> Option<bool> {
        match self {
            Self::Always(flag) => Some(*flag),
            Self::Not(node) => node.test(item).map(|flag| !flag),
            Self::Shared(node) => node.test(item),
            Self::All(nodes) => until(nodes, item, false),
            Self::Any(nodes) => until(nodes, item, true),
            Self::Field(_, tester) => tester(item),
            Self::Compare(left, comparison, right) => {
                let order = match (left, right) {
                    (_, Operand::Field(_)) if !matches!(left, Operand::Field(_)) => {
                        right.compare(item, &left.value(item))?.reverse()
                    }
                    _ => left.compare(item, &right.value(item))?,
                };
                Some(comparison.holds(order))
            }
            Self::Like(operand, pattern, _) => {
                let value = operand.value(item);
                value.as_text().map(|text| pattern.matches(text))
            }
            Self::Between(operand, low, high) => {
                let above = operand.compare(item, &low.value(item));
                let above = above.map(Ordering::is_ge);
                let below = operand.compare(item, &high.value(item));
                let below = below.map(Ordering::is_le);
                both(above, below)
            }
            Self::In(operand, list) => list.holds(operand, item),
            Self::IsMissing(operand) => Some(operand.value(item).is_missing()),
            Self::Closure(test) => Some(test(item)),
        }
    }

    /// The fields that it reads, each perhaps several times.
    fn read_fields(&self, fields: &mut Vec<AnyField<T>>) {
        match self {
            Self::Always(_) | Self::Closure(_) => {}
            Self::Not(node) => node.read_fields(fields),
            Self::Shared(node) => node.read_fields(fields),
            Self::All(nodes) | Self::Any(nodes) => {
                nodes.iter().for_each(|node| node.read_fields(fields));
            }
            Self::Field(test, _) => fields.push(test.field.clone()),
            Self::Compare(left, _, right) => {
                [left, right]
                    .into_iter()
                    .for_each(|operand| operand.read_fields(fields));
            }
            Self::Like(operand, ..) | Self::IsMissing(operand) => operand.read_fields(fields),
            Self::Between(operand, low, high) => {
                [operand, low, high]
                    .into_iter()
                    .for_each(|operand| operand.read_fields(fields));
            }
            Self::In(operand, list) => {
                operand.read_fields(fields);
                let list = list.operands().iter();
                list.for_each(|operand| operand.read_fields(fields));
            }
        }
    }
}

/// Joins tests: one that comes out as `decisive` decides, else an unknown one makes all unknown.
fn until<T>(nodes: &[Node<T>], item: &T, decisive: bool) -> Option<bool> {
    let mut known = true;
    for node in nodes {
        match node.test(item) {
            Some(flag) if flag == decisive => return Some(decisive),
            Some(_) => {}
            None => known = false,
        }
    }
    known.then_some(!decisive)
}

fn both(one: Option<bool>, two: Option<bool>) -> Option<bool> {
    match (one, two) {
        (Some(false), _) | (_, Some(false)) => Some(false),
        (Some(true), Some(true)) => Some(true),
        _ => None,
    }
}

impl<T> Condition<T> {
    #[cfg(feature = "cql2")]
    pub(super) fn node(&self) -> &Node<T> {
        &self.node
    }

    pub(super) fn of(node: Node<T>) -> Self {
        let mut fields = Vec::new();
        node.read_fields(&mut fields);
        let mut names: Vec<AnyField<T>> = Vec::new();
        for field in fields {
            if names.iter().all(|other| other.name() != field.name()) {
                names.push(field);
            }
        }
        Self {
            node: Arc::new(node),
            fields: names.into(),
            knows_fields: true,
        }
    }

    /// A closure as a condition, to be joined with others. Since nobody knows which fields it reads, it is
    /// asked again whatever is edited.
    pub fn from_fn(test: impl Fn(&T) -> bool + Send + Sync + 'static) -> Self {
        Self {
            knows_fields: false,
            ..Self::of(Node::Closure(Arc::new(test)))
        }
    }

    /// A closure that reads these fields alone: an edit of others asks nothing of it.
    ///
    /// ```
    /// # use usual_tide::{Condition, Item};
    /// # use usual_tide_pieces::with_title_and_firing::Piece;
    /// let long = Condition::from_fn_on([Piece::TITLE.into()], |piece: &Piece| piece.title.len() > 12);
    /// let waiting_and_long = Piece::FIRED.is(false).and(long);
    /// assert_eq!(waiting_and_long.fields().len(), 2);
    /// ```
    pub fn from_fn_on(
        fields: impl IntoIterator<Item = AnyField<T>>,
        test: impl Fn(&T) -> bool + Send + Sync + 'static,
    ) -> Self {
        Self {
            fields: fields.into_iter().collect(),
            ..Self::of(Node::Closure(Arc::new(test)))
        }
    }

    /// Joined from two, with all that both read. However many are joined in the same way, one after the other, they are
    /// parts of one.
    fn joined(self, other: Self, join: Join) -> Self {
        let mut fields: Vec<AnyField<T>> = self.fields.to_vec();
        for field in other.fields.iter() {
            if fields.iter().all(|known| known.name() != field.name()) {
                fields.push(field.clone());
            }
        }
        let mut parts = join.parts(self.node);
        parts.extend(join.parts(other.node));
        Self {
            node: Arc::new(join.of(parts)),
            fields: fields.into(),
            knows_fields: self.knows_fields && other.knows_fields,
        }
    }

    /// Whether an item meets the condition; `None` where a missing value leaves that unknown.
    pub fn test(&self, item: &T) -> Option<bool> {
        self.node.test(item)
    }

    /// Whether an edit from one version of an item to a later one can make no difference.
    pub(super) fn is_unaffected(&self, before: &T, after: &T) -> bool {
        self.knows_fields && self.fields.iter().all(|field| field.is_same(before, after))
    }

    /// The fields that it reads, those of closures as far as they were named.
    pub fn fields(&self) -> &[AnyField<T>] {
        &self.fields
    }

    /// Both this and another.
    #[must_use]
    pub fn and(self, other: Self) -> Self {
        self.joined(other, Join::All)
    }

    /// This, or another, or both.
    #[must_use]
    pub fn or(self, other: Self) -> Self {
        self.joined(other, Join::Any)
    }
}

/// The opposite; what was unknown stays so.
impl<T> std::ops::Not for Condition<T> {
    type Output = Self;

    fn not(self) -> Self {
        let opposite = match &*self.node {
            Node::Not(node) => match &**node {
                Node::Shared(node) => Some(Arc::clone(node)),
                _ => None,
            },
            _ => None,
        };
        let not = |node| Arc::new(Node::Not(Box::new(Node::Shared(node))));
        Self {
            node: opposite.unwrap_or_else(|| not(self.node)),
            ..self
        }
    }
}

/// Made of the same tests in the same order; a closure is the same as its clones alone.
impl<T> PartialEq for Condition<T> {
    fn eq(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.node, &other.node) || self.node == other.node
    }
}

impl<T> PartialEq for Node<T> {
    fn eq(&self, other: &Self) -> bool {
        match (self, other) {
            (Self::Shared(one), two) => **one == *two,
            (one, Self::Shared(two)) => *one == **two,
            (Self::Always(one), Self::Always(two)) => one == two,
            (Self::Not(one), Self::Not(two)) => one == two,
            (Self::All(one), Self::All(two)) | (Self::Any(one), Self::Any(two)) => one == two,
            (Self::Field(one, _), Self::Field(two, _)) => {
                one.field.is_same_field(&two.field)
                    && one.comparison == two.comparison
                    && one.value == two.value
            }
            (Self::Compare(left, one, right), Self::Compare(other_left, two, other_right)) => {
                one == two && left == other_left && right == other_right
            }
            (Self::Like(one, _, pattern), Self::Like(two, _, other)) => {
                one == two && pattern == other
            }
            (Self::Between(one, low, high), Self::Between(two, other_low, other_high)) => {
                one == two && low == other_low && high == other_high
            }
            (Self::In(one, list), Self::In(two, others)) => one == two && list == others,
            (Self::IsMissing(one), Self::IsMissing(two)) => one == two,
            (Self::Closure(one), Self::Closure(two)) => Arc::ptr_eq(one, two),
            _ => false,
        }
    }
}

impl<T> Clone for Condition<T> {
    fn clone(&self) -> Self {
        Self {
            node: Arc::clone(&self.node),
            fields: Arc::clone(&self.fields),
            knows_fields: self.knows_fields,
        }
    }
}

impl<T> fmt::Debug for Condition<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mut shown = f.debug_struct("Condition");
        #[cfg(feature = "cql2")]
        shown.field("text", &self.text());
        shown.field("fields", &self.fields).finish_non_exhaustive()
    }
}
