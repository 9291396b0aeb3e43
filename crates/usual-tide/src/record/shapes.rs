//! All shapes that records have.

use super::name::FieldName;
use super::shape::{MemberNames, Step, StoredStep, Target};
use hashbrown::{HashSet, HashTable};
use std::hash::{BuildHasher, Hash, Hasher};
use std::sync::{Arc, LazyLock, Mutex, MutexGuard, PoisonError, Weak};

/// The names of members as they are met, before it is known whether there are records with the same.
#[derive(Debug, Default)]
pub(super) struct NameList {
    text: String,
    steps: Vec<StoredStep>,
    values: u32,
    /// The steps of the objects that are not at their end.
    open: Vec<usize>,
}

/// The names cannot be those of a record: two members of one object have the same, or they are too many to be numbered.
#[derive(Debug)]
pub(super) struct NotNames;

impl NameList {
    pub(super) fn clear(&mut self) {
        self.text.clear();
        self.steps.clear();
        self.values = 0;
        self.open.clear();
    }

    pub(super) fn value(&mut self, name: &str) {
        self.push(name, Target::value(self.values));
        self.values = self.values.saturating_add(1);
    }

    pub(super) fn open(&mut self, name: &str) {
        self.open.push(self.steps.len());
        self.push(name, Target::object(0));
    }

    pub(super) fn close(&mut self) {
        let end = self.steps.len() as u32;
        if let Some(begin) = self.open.pop() {
            self.steps[begin].target = Target::object(end);
        }
        self.push("", Target::NONE);
    }

    fn push(&mut self, name: &str, target: Target) {
        self.text.push_str(name);
        // What is too long for that is refused before anybody reads it.
        let name_end = self.text.len() as u32;
        self.steps.push(StoredStep { name_end, target });
    }

    /// Takes the first steps over from a shape.
    pub(super) fn begin_as(&mut self, names: &MemberNames, steps: usize) {
        self.clear();
        for at in 0..steps {
            match names.step(at) {
                Some(Step::Value { name, .. }) => self.value(name),
                Some(Step::Object { name }) => self.open(name),
                Some(Step::End) => self.close(),
                None => {}
            }
        }
    }

    fn hash(&self, key: &FieldName) -> u64 {
        let mut hasher = KNOWN.hasher.build_hasher();
        key.hash(&mut hasher);
        self.text.hash(&mut hasher);
        self.steps.hash(&mut hasher);
        hasher.finish()
    }

    fn check(&self) -> Result<(), NotNames> {
        if self.steps.len() > Target::MOST || u32::try_from(self.text.len()).is_err() {
            return Err(NotNames);
        }
        let mut seen: Vec<HashSet<&str>> = vec![HashSet::new()];
        let mut start = 0;
        for step in &self.steps {
            let end = step.name_end as usize;
            let name = &self.text[start..end];
            start = end;
            if step.target == Target::NONE {
                seen.pop();
                continue;
            }
            if seen.last_mut().is_some_and(|object| !object.insert(name)) {
                return Err(NotNames);
            }
            if step.target.is_object() {
                seen.push(HashSet::new());
            }
        }
        Ok(())
    }

    /// The shape that has these names, with this key; made when it is the first. O(names).
    pub(super) fn shape(&self, key: &Arc<FieldName>) -> Result<Arc<MemberNames>, NotNames> {
        let hash = self.hash(key);
        let mut known = KNOWN.lock();
        let same = |kept: &KeptShape| {
            kept.hash == hash
                && kept.names.upgrade().is_some_and(|names| {
                    **names.key() == **key && names.parts() == (&*self.text, &*self.steps)
                })
        };
        if let Some(found) = known.shapes.find(hash, same)
            && let Some(names) = found.names.upgrade()
        {
            return Ok(names);
        }
        self.check()?;
        let names = Arc::new(MemberNames::new(
            known.next_id(),
            Arc::clone(key),
            self.values,
            self.text.as_str().into(),
            self.steps.as_slice().into(),
        ));
        known.forget_unused();
        let kept = KeptShape {
            hash,
            names: Arc::downgrade(&names),
        };
        known.shapes.insert_unique(hash, kept, |kept| kept.hash);
        Ok(names)
    }
}

static KNOWN: LazyLock<Known> = LazyLock::new(Known::default);

#[derive(Default)]
struct Known {
    hasher: hashbrown::DefaultHashBuilder,
    kept: Mutex<Kept>,
}

#[derive(Default)]
struct Kept {
    shapes: HashTable<KeptShape>,
    last_id: u32,
    /// How many shapes there may be before those that nothing has any more are forgotten.
    most: usize,
}

struct KeptShape {
    hash: u64,
    names: Weak<MemberNames>,
}

impl Known {
    fn lock(&self) -> MutexGuard<'_, Kept> {
        self.kept.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

impl Kept {
    /// A number for a shape; 0 when there is no other any more.
    fn next_id(&mut self) -> u32 {
        match self.last_id.checked_add(1) {
            Some(next) => {
                self.last_id = next;
                next
            }
            None => 0,
        }
    }

    /// Forgets shapes that no record has. O(1) for each that was made, taken together.
    fn forget_unused(&mut self) {
        if self.shapes.len() < self.most {
            return;
        }
        self.shapes.retain(|kept| kept.names.strong_count() > 0);
        self.most = 2 * self.shapes.len().max(64);
    }
}
