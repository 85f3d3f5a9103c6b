//! Indices of frames. One frame has different indices among the frames that were given, those that
//! can be read, those that go into the result, and those of a sweep in order. Each of these four
//! spaces has a type, so that an index of one cannot be taken for an index of another.

use serde::{Deserialize, Serialize};
use std::marker::PhantomData;
use std::ops::{Index, IndexMut};

/// Frames as they were given to a run.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Given {}

/// The given frames that can be read, in the order in which they were given.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Readable {}

/// The given frames that go into the result.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Used {}

/// The frames of a sweep in the order of focus, from near to far.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum InOrder {}

/// The index of a frame among the frames of a space, from 0.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct FrameIndex<S>(usize, PhantomData<fn() -> S>);

impl<S> FrameIndex<S> {
    /// The index with this number, from 0.
    pub const fn new(number: usize) -> Self {
        Self(number, PhantomData)
    }

    /// The index as a number, from 0.
    pub const fn number(self) -> usize {
        self.0
    }
}

/// One value for each frame of a space.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(transparent, bound(serialize = "T: Serialize", deserialize = "T: Deserialize<'de>"))]
pub struct PerFrame<S, T>(Vec<T>, PhantomData<fn() -> S>);

impl<S, T> PerFrame<S, T> {
    /// Number of frames.
    pub fn len(&self) -> usize {
        self.0.len()
    }

    /// Whether there are no frames.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// The value of a frame, if there is such a frame.
    pub fn get(&self, index: FrameIndex<S>) -> Option<&T> {
        self.0.get(index.0)
    }

    /// The indices of all frames.
    pub fn indices(&self) -> impl Iterator<Item = FrameIndex<S>> + use<S, T> {
        (0..self.0.len()).map(FrameIndex::new)
    }

    /// The values of all frames, in order.
    pub fn iter(&self) -> std::slice::Iter<'_, T> {
        self.0.iter()
    }

    /// The values of all frames, in order, to be changed.
    pub fn iter_mut(&mut self) -> std::slice::IterMut<'_, T> {
        self.0.iter_mut()
    }

    /// The values of all frames with their indices, in order.
    pub fn enumerate(&self) -> impl Iterator<Item = (FrameIndex<S>, &T)> {
        self.0.iter().enumerate().map(|(i, one)| (FrameIndex::new(i), one))
    }

    /// The first frame whose value fulfils a condition.
    pub fn position(&self, holds: impl Fn(&T) -> bool) -> Option<FrameIndex<S>> {
        self.0.iter().position(holds).map(FrameIndex::new)
    }

    /// The values of all frames, in order.
    pub fn as_slice(&self) -> &[T] {
        &self.0
    }

    /// The values of all frames, in order, to be changed.
    pub fn as_mut_slice(&mut self) -> &mut [T] {
        &mut self.0
    }

    /// The values of all frames, in order.
    pub fn into_vec(self) -> Vec<T> {
        self.0
    }
}

impl<S, T> Default for PerFrame<S, T> {
    fn default() -> Self {
        Self(vec![], PhantomData)
    }
}

impl<S, T> From<Vec<T>> for PerFrame<S, T> {
    fn from(all: Vec<T>) -> Self {
        Self(all, PhantomData)
    }
}

impl<S, T> FromIterator<T> for PerFrame<S, T> {
    fn from_iter<I: IntoIterator<Item = T>>(all: I) -> Self {
        Vec::from_iter(all).into()
    }
}

impl<S, T> IntoIterator for PerFrame<S, T> {
    type Item = T;
    type IntoIter = std::vec::IntoIter<T>;

    fn into_iter(self) -> Self::IntoIter {
        self.0.into_iter()
    }
}

impl<'a, S, T> IntoIterator for &'a PerFrame<S, T> {
    type Item = &'a T;
    type IntoIter = std::slice::Iter<'a, T>;

    fn into_iter(self) -> Self::IntoIter {
        self.0.iter()
    }
}

impl<S, T> Index<FrameIndex<S>> for PerFrame<S, T> {
    type Output = T;

    fn index(&self, index: FrameIndex<S>) -> &T {
        &self.0[index.0]
    }
}

impl<S, T> IndexMut<FrameIndex<S>> for PerFrame<S, T> {
    fn index_mut(&mut self, index: FrameIndex<S>) -> &mut T {
        &mut self.0[index.0]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_and_lists_are_written_plainly() {
        let names: PerFrame<Given, &str> = ["f1", "f2", "f3"].into_iter().collect();
        assert_eq!(serde_json::to_string(&names).unwrap(), r#"["f1","f2","f3"]"#);
        let found = names.position(|name| *name == "f2").unwrap();
        assert_eq!(serde_json::to_string(&found).unwrap(), "1");
        let read: FrameIndex<Given> = serde_json::from_str("1").unwrap();
        assert_eq!(names[read], "f2");
        assert_eq!(names.get(FrameIndex::new(3)), None);
        assert_eq!(names.indices().last(), Some(FrameIndex::new(2)));
    }
}
