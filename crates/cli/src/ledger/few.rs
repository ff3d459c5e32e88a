//! A map for few entries: pairs in one allocation, in the order of their names. Most originals have one to ten
//! pieces, and a tree would take room for a dozen of each.

use std::fmt;
use std::marker::PhantomData;
use std::sync::Arc;
use std::vec;

use serde::de::{MapAccess, Visitor};
use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// Values by their names.
#[derive(Clone, Debug, PartialEq)]
pub struct Few<V>(Box<[(Arc<str>, V)]>);

impl<V> Default for Few<V> {
    fn default() -> Self {
        Few(Box::default())
    }
}

impl<V> Few<V> {
    fn place(&self, name: &str) -> Result<usize, usize> {
        self.0.binary_search_by(|(known, _)| (**known).cmp(name))
    }

    /// What has a name.
    pub fn get(&self, name: &str) -> Option<&V> {
        let place = self.place(name).ok()?;
        Some(&self.0[place].1)
    }

    /// What has a name, to be changed.
    pub fn get_mut(&mut self, name: &str) -> Option<&mut V> {
        let place = self.place(name).ok()?;
        Some(&mut self.0[place].1)
    }

    /// Gives a value a name, whatever had it before.
    pub fn insert(&mut self, name: Arc<str>, value: V) {
        match self.place(&name) {
            Ok(place) => self.0[place].1 = value,
            Err(place) => self.change(|all| {
                all.reserve_exact(1);
                all.insert(place, (name, value));
            }),
        }
    }

    /// Takes what has a name out.
    pub fn remove(&mut self, name: &str) -> Option<V> {
        let place = self.place(name).ok()?;
        Some(self.change(|all| all.remove(place)).1)
    }

    /// Takes what has the first name out.
    pub fn pop_first(&mut self) {
        if !self.is_empty() {
            self.change(|all| all.remove(0));
        }
    }

    fn change<T>(&mut self, change: impl FnOnce(&mut Vec<(Arc<str>, V)>) -> T) -> T {
        // There are many of these, and they hardly grow: no room is kept.
        let mut all = std::mem::take(&mut self.0).into_vec();
        let told = change(&mut all);
        self.0 = all.into_boxed_slice();
        told
    }

    /// Keeps what is wanted.
    pub fn retain(&mut self, mut wanted: impl FnMut(&str, &V) -> bool) {
        self.change(|all| all.retain(|(name, value)| wanted(name, value)));
    }

    /// All, in the order of their names.
    pub fn iter(&self) -> impl Iterator<Item = (&str, &V)> {
        self.0.iter().map(|(name, value)| (&**name, value))
    }

    /// All names, in order.
    pub fn names(&self) -> impl Iterator<Item = &Arc<str>> {
        self.0.iter().map(|(name, _)| name)
    }

    /// All values, to be changed.
    pub fn values_mut(&mut self) -> impl Iterator<Item = &mut V> {
        self.0.iter_mut().map(|(_, value)| value)
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        self.0.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}

impl<V> IntoIterator for Few<V> {
    type Item = (Arc<str>, V);
    type IntoIter = vec::IntoIter<Self::Item>;

    fn into_iter(self) -> Self::IntoIter {
        self.0.into_vec().into_iter()
    }
}

impl<V> FromIterator<(Arc<str>, V)> for Few<V> {
    fn from_iter<T: IntoIterator<Item = (Arc<str>, V)>>(pairs: T) -> Self {
        let mut few: Vec<_> = pairs.into_iter().collect();
        // Of several of one name the last holds, as in any map.
        few.reverse();
        few.sort_by(|a, b| a.0.cmp(&b.0));
        few.dedup_by(|a, b| a.0 == b.0);
        Few(few.into_boxed_slice())
    }
}

impl<V: Serialize> Serialize for Few<V> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_map(self.iter())
    }
}

impl<'de, V: Deserialize<'de>> Deserialize<'de> for Few<V> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Pairs<V>(PhantomData<V>);
        impl<'de, V: Deserialize<'de>> Visitor<'de> for Pairs<V> {
            type Value = Few<V>;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a map")
            }

            fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Few<V>, A::Error> {
                let pairs = std::iter::from_fn(|| map.next_entry().transpose());
                pairs.collect()
            }
        }
        deserializer.deserialize_map(Pairs(PhantomData))
    }
}
