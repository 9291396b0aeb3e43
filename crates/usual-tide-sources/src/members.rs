//! Members of JSON objects by the way to them.

#[cfg(feature = "files")]
use serde_json::{Map, Value};

/// Puts a value at the end of a path, and makes the objects on the path that are missing. Nothing happens where
/// a value on the path is no object.
#[cfg(feature = "files")]
pub(crate) fn put(members: &mut Map<String, Value>, path: &[String], value: Value) {
    match path {
        [] => {}
        [name] => {
            members.insert(name.clone(), value);
        }
        [name, inner @ ..] => {
            let entry = members.entry(name.as_str());
            if let Value::Object(object) = entry.or_insert_with(|| Value::Object(Map::new())) {
                put(object, inner, value);
            }
        }
    }
}

/// The path that a dotted name means.
pub(crate) fn path_of(name: &str) -> Vec<String> {
    name.split('.').map(str::to_owned).collect()
}

/// The paths of members that do not collide.
#[cfg(feature = "sqlite")]
#[derive(Default)]
pub(crate) struct MemberPaths {
    ends: std::collections::HashSet<Vec<String>>,
    beginnings: std::collections::HashSet<Vec<String>>,
}

#[cfg(feature = "sqlite")]
impl MemberPaths {
    /// Adds a way; `false` when it is there, or when one leads through the end of the other.
    pub(crate) fn add(&mut self, path: &[String]) -> bool {
        let mut beginnings = (1..path.len()).map(|end| &path[..end]);
        let in_the_way = self.ends.contains(path)
            || self.beginnings.contains(path)
            || beginnings.any(|beginning| self.ends.contains(beginning));
        if in_the_way {
            return false;
        }
        self.ends.insert(path.to_vec());
        let beginnings = (1..path.len()).map(|end| path[..end].to_vec());
        self.beginnings.extend(beginnings);
        true
    }
}
