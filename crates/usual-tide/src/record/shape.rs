//! The names of the members of records, kept once for all records that have the same.

use super::name::FieldName;
use hashbrown::{HashMap, HashSet, HashTable};
use std::hash::{BuildHasher, Hash, Hasher};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, LazyLock, Mutex, OnceLock, PoisonError, Weak};

/// From so many members on, an object's members are found by an index and not one after the other.
const INDEX_FROM: usize = 64;

/// The names of a record's members in their order, those of the objects in it, and which of them is the key.
///
/// There is one of each in the process, so that records have the same members exactly when theirs is the same.
#[derive(Debug)]
pub(super) struct MemberNames {
    /// A number of its own; 0 when numbers have run out.
    id: u32,
    key: Arc<FieldName>,
    key_spot: Option<Spot>,
    steps: Box<[Step]>,
    values: usize,
    /// The members of large objects, each under the step where its object begins.
    index: OnceLock<HashMap<usize, HashMap<Arc<str>, usize>>>,
}

/// A step on the way through all members, objects entered where they stand.
#[derive(Clone, Debug)]
pub(super) enum Step {
    /// A member that is no object: the place of its value in the block.
    Value { name: Arc<str>, value: u32 },
    /// A member that is an object: where the step is that ends it.
    Object { name: Arc<str>, end: u32 },
    /// The end of an object.
    End,
}

/// Where a field is in records of one shape.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Spot {
    /// The value at this place of the block.
    Value(usize),
    /// The object whose members begin at this step and end before the other.
    Object { from: usize, end: usize },
}

impl MemberNames {
    pub(super) fn key(&self) -> &Arc<FieldName> {
        &self.key
    }

    /// Where the key is.
    pub(super) fn key_spot(&self) -> Option<Spot> {
        self.key_spot
    }

    pub(super) fn steps(&self) -> &[Step] {
        &self.steps
    }

    /// How many values records of this shape have.
    pub(super) fn values(&self) -> usize {
        self.values
    }

    /// A field by its name: a member of exactly that name before a dotted way.
    pub(super) fn spot(&self, name: &FieldName) -> Option<Spot> {
        let whole = (0, self.steps.len());
        if let Some(spot) = name.whole().and_then(|name| self.member(whole, name)) {
            return Some(spot);
        }
        let (first, rest) = name.members().split_first()?;
        let mut spot = self.member(whole, first)?;
        for step in rest {
            let Spot::Object { from, end } = spot else {
                return None;
            };
            spot = self.member((from, end), step)?;
        }
        Some(spot)
    }

    /// A member of the object whose members are these steps.
    pub(super) fn member(&self, (from, end): (usize, usize), name: &str) -> Option<Spot> {
        if end - from > INDEX_FROM {
            return self.indexed(from, name);
        }
        let mut at = from;
        while at < end {
            let step = &self.steps[at];
            if step.name() == Some(name) {
                return self.spot_at(at);
            }
            at = self.after(at);
        }
        None
    }

    fn indexed(&self, from: usize, name: &str) -> Option<Spot> {
        let index = self.index.get_or_init(|| {
            let (mut index, mut above) = (HashMap::new(), vec![0]);
            for (at, step) in self.steps.iter().enumerate() {
                let object = above.last().copied().unwrap_or(0);
                if let Step::Value { name, .. } | Step::Object { name, .. } = step {
                    let members: &mut HashMap<_, _> = index.entry(object).or_default();
                    members.insert(Arc::clone(name), at);
                }
                match step {
                    Step::Object { .. } => above.push(at + 1),
                    Step::End => drop(above.pop()),
                    Step::Value { .. } => {}
                }
            }
            index
        });
        self.spot_at(*index.get(&from)?.get(name)?)
    }

    /// What a step leads to.
    pub(super) fn spot_at(&self, at: usize) -> Option<Spot> {
        match &self.steps[at] {
            Step::Value { value, .. } => Some(Spot::Value(*value as usize)),
            Step::Object { end, .. } => Some(Spot::Object {
                from: at + 1,
                end: *end as usize,
            }),
            Step::End => None,
        }
    }

    /// The next member of the same object.
    pub(super) fn after(&self, at: usize) -> usize {
        match &self.steps[at] {
            Step::Object { end, .. } => *end as usize + 1,
            _ => at + 1,
        }
    }
}

impl Step {
    pub(super) fn name(&self) -> Option<&str> {
        match self {
            Self::Value { name, .. } | Self::Object { name, .. } => Some(name),
            Self::End => None,
        }
    }
}

/// Where a field was found last, so that records of one shape are asked by name only once.
#[derive(Debug, Default)]
pub(super) struct KnownSpot(AtomicU64);

/// What stands for a field that is absent, and what marks an object.
const ABSENT: u32 = u32::MAX;
const OBJECT: u32 = 1 << 31;

impl KnownSpot {
    /// The field in records of this shape. O(1) where it was the last one asked for.
    #[inline]
    pub(super) fn find(&self, name: &FieldName, names: &MemberNames) -> Option<Spot> {
        let kept = self.0.load(Ordering::Relaxed);
        if names.id != 0 && (kept >> 32) as u32 == names.id {
            return match kept as u32 {
                ABSENT => None,
                at if at & OBJECT != 0 => names.spot_at((at & !OBJECT) as usize),
                at => Some(Spot::Value(at as usize)),
            };
        }
        self.find_anew(name, names)
    }

    fn find_anew(&self, name: &FieldName, names: &MemberNames) -> Option<Spot> {
        let spot = names.spot(name);
        let place = match spot {
            None => ABSENT,
            Some(Spot::Value(value)) => value as u32,
            Some(Spot::Object { from, .. }) => (from - 1) as u32 | OBJECT,
        };
        self.0.store(
            u64::from(names.id) << 32 | u64::from(place),
            Ordering::Relaxed,
        );
        spot
    }
}

/// The names of members as they are met, before it is known whether there are records with the same.
#[derive(Debug, Default)]
pub(super) struct NameList {
    text: String,
    steps: Vec<ListedStep>,
}

#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
enum ListedStep {
    /// A member whose name ends there in the text.
    Value(usize),
    Object(usize),
    End,
}

/// Two members of one object have the same name.
#[derive(Debug)]
pub(super) struct SameName;

impl NameList {
    pub(super) fn clear(&mut self) {
        self.text.clear();
        self.steps.clear();
    }

    pub(super) fn value(&mut self, name: &str) {
        self.text.push_str(name);
        self.steps.push(ListedStep::Value(self.text.len()));
    }

    pub(super) fn open(&mut self, name: &str) {
        self.text.push_str(name);
        self.steps.push(ListedStep::Object(self.text.len()));
    }

    pub(super) fn close(&mut self) {
        self.steps.push(ListedStep::End);
    }

    /// Takes steps over from a shape.
    pub(super) fn extend(&mut self, steps: &[Step]) {
        for step in steps {
            match step {
                Step::Value { name, .. } => self.value(name),
                Step::Object { name, .. } => self.open(name),
                Step::End => self.close(),
            }
        }
    }

    fn names(&self) -> impl Iterator<Item = (ListedStep, &str)> {
        let mut start = 0;
        self.steps.iter().map(move |step| {
            let end = match step {
                ListedStep::Value(end) | ListedStep::Object(end) => *end,
                ListedStep::End => start,
            };
            let name = &self.text[start..end];
            start = end;
            (*step, name)
        })
    }

    fn is(&self, names: &MemberNames) -> bool {
        names.steps.len() == self.steps.len()
            && self
                .names()
                .zip(&names.steps)
                .all(|((listed, name), step)| match (listed, step) {
                    (ListedStep::Value(_), Step::Value { name: other, .. })
                    | (ListedStep::Object(_), Step::Object { name: other, .. }) => name == &**other,
                    (ListedStep::End, Step::End) => true,
                    _ => false,
                })
    }

    fn hash(&self, key: &FieldName) -> u64 {
        let mut hasher = KNOWN.hasher.build_hasher();
        key.hash(&mut hasher);
        self.text.hash(&mut hasher);
        self.steps.hash(&mut hasher);
        hasher.finish()
    }

    /// An error when two members of an object have the same name.
    fn check(&self) -> Result<(), SameName> {
        let mut seen: Vec<HashSet<&str>> = vec![HashSet::new()];
        for (step, name) in self.names() {
            let is_new = match (step, seen.last_mut()) {
                (ListedStep::End, _) => {
                    seen.pop();
                    continue;
                }
                (_, Some(object)) => object.insert(name),
                (_, None) => true,
            };
            if !is_new {
                return Err(SameName);
            }
            if matches!(step, ListedStep::Object(_)) {
                seen.push(HashSet::new());
            }
        }
        Ok(())
    }

    /// The shape that has these names, with this key; made when it is the first. O(names).
    pub(super) fn shape(&self, key: &Arc<FieldName>) -> Result<Arc<MemberNames>, SameName> {
        let hash = self.hash(key);
        let mut known = KNOWN.lock();
        let same = |kept: &KeptShape| {
            kept.hash == hash
                && kept
                    .names
                    .upgrade()
                    .is_some_and(|names| *names.key == **key && self.is(&names))
        };
        if let Some(found) = known.shapes.find(hash, same)
            && let Some(names) = found.names.upgrade()
        {
            return Ok(names);
        }
        self.check()?;
        let names = Arc::new(known.made(self, key));
        known.forget_unused();
        let kept = KeptShape {
            hash,
            names: Arc::downgrade(&names),
        };
        known.shapes.insert_unique(hash, kept, |kept| kept.hash);
        Ok(names)
    }
}

/// All shapes that records have, and the names in them.
static KNOWN: LazyLock<Known> = LazyLock::new(Known::default);

#[derive(Default)]
struct Known {
    hasher: hashbrown::DefaultHashBuilder,
    kept: Mutex<Kept>,
}

#[derive(Default)]
struct Kept {
    shapes: HashTable<KeptShape>,
    names: HashSet<Arc<str>>,
    last_id: u32,
    /// How many shapes there may be before those that nothing has any more are forgotten.
    most: usize,
}

struct KeptShape {
    hash: u64,
    names: Weak<MemberNames>,
}

impl Known {
    fn lock(&self) -> std::sync::MutexGuard<'_, Kept> {
        self.kept.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

impl Kept {
    fn made(&mut self, list: &NameList, key: &Arc<FieldName>) -> MemberNames {
        let mut steps = Vec::with_capacity(list.steps.len());
        let (mut values, mut open) = (0, Vec::new());
        for (listed, name) in list.names() {
            let step = match listed {
                ListedStep::Value(_) => {
                    values += 1;
                    Step::Value {
                        name: self.name(name),
                        value: values - 1,
                    }
                }
                ListedStep::Object(_) => {
                    open.push(steps.len());
                    Step::Object {
                        name: self.name(name),
                        end: 0,
                    }
                }
                ListedStep::End => {
                    let here = steps.len() as u32;
                    let begin = open.pop().and_then(|at: usize| steps.get_mut(at));
                    if let Some(Step::Object { end, .. }) = begin {
                        *end = here;
                    }
                    Step::End
                }
            };
            steps.push(step);
        }
        self.last_id = match self.last_id {
            u32::MAX => u32::MAX,
            last => last + 1,
        };
        let mut names = MemberNames {
            id: if self.last_id == u32::MAX {
                0
            } else {
                self.last_id
            },
            key: Arc::clone(key),
            key_spot: None,
            steps: steps.into(),
            values: values as usize,
            index: OnceLock::new(),
        };
        names.key_spot = names.spot(key);
        names
    }

    fn name(&mut self, name: &str) -> Arc<str> {
        Arc::clone(self.names.get_or_insert_with(name, |name| Arc::from(name)))
    }

    /// Forgets shapes that no record has. O(1) for each that was made, taken together.
    fn forget_unused(&mut self) {
        if self.shapes.len() < self.most {
            return;
        }
        self.shapes.retain(|kept| kept.names.strong_count() > 0);
        self.names.retain(|name| Arc::strong_count(name) > 1);
        self.most = 2 * self.shapes.len().max(64);
    }
}
