//! Differences between two JSON values, small where much stays the same: objects are compared field by
//! field, and of a list only the stretch that changed is kept.

use serde::{Deserialize, Deserializer, Serialize};
use serde_json::Value;

/// Everything in which two values differ, in no particular order: no place lies within another.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Difference(Vec<Place>);

/// One place where two values differ.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
struct Place {
    /// The names of the fields that lead there.
    path: Vec<String>,
    /// What stood there and what stands there now.
    #[serde(flatten)]
    change: Change,
}

#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
enum Change {
    /// The items of a list from `at` on.
    Items { at: usize, was: Vec<Value>, to: Vec<Value> },
    /// A whole value; an absent field has none.
    Whole {
        #[serde(default, skip_serializing_if = "Option::is_none", deserialize_with = "present")]
        was: Option<Value>,
        #[serde(default, skip_serializing_if = "Option::is_none", deserialize_with = "present")]
        to: Option<Value>,
    },
}

/// Reads `null` as a value that is there.
fn present<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Option<Value>, D::Error> {
    Value::deserialize(deserializer).map(Some)
}

/// The places where a value does not hold what a difference expects there.
#[derive(Debug, PartialEq)]
pub struct Unlike(pub Vec<String>);

/// What leads from one value to another.
pub fn difference(was: &Value, to: &Value) -> Difference {
    let mut places = vec![];
    compare(Some(was), Some(to), &mut vec![], &mut places);
    Difference(places)
}

fn compare(
    was: Option<&Value>,
    to: Option<&Value>,
    path: &mut Vec<String>,
    places: &mut Vec<Place>,
) {
    if was == to {
        return;
    }
    match (was, to) {
        (Some(Value::Object(was)), Some(Value::Object(to))) => {
            let new = to.keys().filter(|key| !was.contains_key(*key));
            for key in was.keys().chain(new) {
                path.push(key.clone());
                compare(was.get(key), to.get(key), path, places);
                path.pop();
            }
        }
        (Some(Value::Array(was)), Some(Value::Array(to))) => {
            let same = |(a, b): &(&Value, &Value)| a == b;
            let before = was.iter().zip(to).take_while(same).count();
            let (was, to) = (&was[before..], &to[before..]);
            let after = was.iter().rev().zip(to.iter().rev()).take_while(same).count();
            let change = Change::Items {
                at: before,
                was: was[..was.len() - after].to_vec(),
                to: to[..to.len() - after].to_vec(),
            };
            places.push(Place { path: path.clone(), change });
        }
        _ => {
            let change = Change::Whole { was: was.cloned(), to: to.cloned() };
            places.push(Place { path: path.clone(), change });
        }
    }
}

impl Difference {
    /// Whether the two values were equal.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// The way back.
    pub fn reversed(&self) -> Self {
        let reversed = |Place { path, change }: &Place| {
            let change = match change.clone() {
                Change::Items { at, was, to } => Change::Items { at, was: to, to: was },
                Change::Whole { was, to } => Change::Whole { was: to, to: was },
            };
            Place { path: path.clone(), change }
        };
        Self(self.0.iter().map(reversed).collect())
    }

    /// Makes the changes in `value`.
    ///
    /// # Errors
    /// [`Unlike`] where some places hold something else than before the changes; `value` stays as it was.
    pub fn apply(&self, value: &mut Value) -> Result<(), Unlike> {
        let unlike: Vec<String> = self
            .0
            .iter()
            .filter(|place| !place.fits(value))
            .map(|place| place.path.join("."))
            .collect();
        if !unlike.is_empty() {
            return Err(Unlike(unlike));
        }
        self.0.iter().for_each(|place| place.apply(value));
        Ok(())
    }
}

impl Place {
    fn fits(&self, value: &Value) -> bool {
        let found = self.path.iter().try_fold(value, |value, key| value.get(key));
        match &self.change {
            Change::Whole { was, .. } => found == was.as_ref(),
            Change::Items { at, was, .. } => found
                .and_then(Value::as_array)
                .and_then(|list| list.get(*at..at + was.len()))
                .is_some_and(|items| items == was),
        }
    }

    /// Makes the change in a value that it fits.
    fn apply(&self, value: &mut Value) {
        match &self.change {
            Change::Items { at, was, to } => {
                let list = self.path.iter().fold(value, |value, key| &mut value[key]);
                if let Value::Array(list) = list {
                    list.splice(*at..at + was.len(), to.iter().cloned());
                }
            }
            Change::Whole { to, .. } => match (self.path.split_last(), to) {
                (None, to) => *value = to.clone().unwrap_or_default(),
                (Some((last, above)), to) => {
                    let above = above.iter().fold(value, |value, key| &mut value[key]);
                    let Value::Object(fields) = above else { return };
                    match to {
                        Some(to) => _ = fields.insert(last.clone(), to.clone()),
                        None => _ = fields.remove(last),
                    }
                }
            },
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use serde_json::json;

    #[test]
    fn of_a_list_only_the_stretch_that_changed_is_kept() {
        let (was, to) = (json!({"strokes": [1, 2, 3, 4]}), json!({"strokes": [1, 2, 9, 9, 4]}));
        let found = serde_json::to_value(difference(&was, &to)).unwrap();
        assert_eq!(found, json!([{"path": ["strokes"], "at": 2, "was": [3], "to": [9, 9]}]));
    }

    #[test]
    fn absent_and_null_are_told_apart() {
        let (was, to) = (json!({"a": null}), json!({"b": null}));
        let stored = serde_json::to_string(&difference(&was, &to)).unwrap();
        let found: Difference = serde_json::from_str(&stored).unwrap();
        let mut value = was.clone();
        found.apply(&mut value).unwrap();
        assert_eq!(value, to);
    }

    #[test]
    fn what_changed_since_is_named_and_nothing_is_changed() {
        let found =
            difference(&json!({"a": {"b": 1}, "c": [1]}), &json!({"a": {"b": 2}, "c": [1, 2]}));
        let mut value = json!({"a": {"b": 5}, "c": [1]});
        assert_eq!(found.apply(&mut value), Err(Unlike(vec!["a.b".to_owned()])));
        assert_eq!(value, json!({"a": {"b": 5}, "c": [1]}));
        // Additions elsewhere in a list do not matter, as long as the stretch is the same.
        let mut value = json!({"a": {"b": 1}, "c": [1, 7]});
        assert!(found.apply(&mut value).is_ok());
        assert_eq!(value, json!({"a": {"b": 2}, "c": [1, 2, 7]}));
    }

    /// Values as deep and as alike as settings are.
    fn any_value() -> impl Strategy<Value = Value> {
        let leaf = prop_oneof![
            Just(Value::Null),
            any::<bool>().prop_map(Value::from),
            (0..4i64).prop_map(Value::from),
            "[ab]{0,2}".prop_map(Value::from),
        ];
        leaf.prop_recursive(4, 40, 5, |inner| {
            prop_oneof![
                prop::collection::vec(inner.clone(), 0..5).prop_map(Value::from),
                prop::collection::btree_map("[a-d]", inner, 0..4)
                    .prop_map(|fields| Value::Object(fields.into_iter().collect())),
            ]
        })
    }

    proptest! {
        #[test]
        fn a_difference_leads_there_and_back(was in any_value(), to in any_value()) {
            let found = difference(&was, &to);
            prop_assert_eq!(found.is_empty(), was == to);
            let stored: Difference =
                serde_json::from_str(&serde_json::to_string(&found).unwrap()).unwrap();
            prop_assert_eq!(&stored, &found);
            let mut value = was.clone();
            prop_assert_eq!(stored.apply(&mut value), Ok(()));
            prop_assert_eq!(&value, &to);
            prop_assert_eq!(stored.reversed().apply(&mut value), Ok(()));
            prop_assert_eq!(&value, &was);
        }
    }
}
