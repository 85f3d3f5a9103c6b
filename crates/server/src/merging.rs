//! Merges changes that two pages make to the settings at the same time. The changes of both are
//! kept; where both changed one setting, that is a clash.
//!
//! A change is partial: a JSON object of only those settings that change, as in a JSON merge patch
//! (RFC 7396), and beside it their values before the change.

use serde_json::{Map, Number, Value};

/// A change of settings.
pub struct Change<'a> {
    /// The settings that are changed, with their new values.
    pub to: &'a Value,
    /// The settings before the change; `None` where they do not matter.
    pub was: Option<&'a Value>,
}

/// Applies a change to settings that may have changed since. Lists to which both sides added
/// something get both additions, and lists about single frames are merged frame by frame. Returns
/// the names of the settings that cannot be merged; `current` is of no use then.
pub fn merge(current: &mut Value, change: &Change) -> Vec<String> {
    let mut clashes = vec![];
    step(current, change.to, change.was, "", &mut clashes);
    clashes
}

fn step(
    current: &mut Value,
    to: &Value,
    was: Option<&Value>,
    name: &str,
    clashes: &mut Vec<String>,
) {
    if let (Value::Object(fields), Value::Object(changes)) = (&mut *current, to)
        && !is_whole(changes)
        && !is_whole(fields)
    {
        for (key, to) in changes {
            let was = was.map(|was| was.get(key).unwrap_or(&Value::Null));
            let name = if name.is_empty() { key.clone() } else { format!("{name}.{key}") };
            step(fields.entry(key.clone()).or_insert(Value::Null), to, was, &name, clashes);
        }
        return;
    }
    match was {
        Some(was) if !alike(current, was) && !alike(current, to) => match both(current, to, was) {
            Some(merged) => *current = merged,
            None => clashes.push(name.to_owned()),
        },
        _ => *current = to.clone(),
    }
}

/// Whether an object counts as one setting, because the fields of one choice mean nothing in
/// another.
fn is_whole(object: &Map<String, Value>) -> bool {
    object.contains_key("by")
}

/// Merges a list that was changed on both sides.
fn both(current: &Value, to: &Value, was: &Value) -> Option<Value> {
    let (Value::Array(current), Value::Array(to), Value::Array(was)) = (current, to, was) else {
        return None;
    };
    if let Some(merged) = by_frame(current, to, was) {
        return merged;
    }
    // The additions of a side that only added entries, such as strokes.
    let added = |list: &[Value]| {
        let same = list.len() >= was.len() && list.iter().zip(was).all(|(a, b)| alike(a, b));
        same.then(|| list[was.len()..].to_vec())
    };
    match (added(current), added(to)) {
        (_, Some(added)) => Some([current.as_slice(), &added].concat().into()),
        (Some(added), None) => Some([to.as_slice(), &added].concat().into()),
        (None, None) => None,
    }
}

/// Entries by frame, for lists whose entries are each about one frame, named by its content. `None`
/// for other lists; an empty result where both sides changed the entry of one frame.
fn by_frame(current: &[Value], to: &[Value], was: &[Value]) -> Option<Option<Value>> {
    let frame = |entry: &Value| entry.get("blake3")?.as_str().map(str::to_owned);
    let all = || current.iter().chain(to).chain(was);
    if all().next().is_none() || all().any(|entry| frame(entry).is_none()) {
        return None;
    }
    let of = |list: &[Value], name: &str| {
        list.iter().find(|entry| frame(entry).as_deref() == Some(name)).cloned()
    };
    let mut names: Vec<String> = vec![];
    for name in current.iter().chain(to).filter_map(frame) {
        if !names.contains(&name) {
            names.push(name);
        }
    }
    let same = |a: &Option<Value>, b: &Option<Value>| match (a, b) {
        (Some(a), Some(b)) => alike(a, b),
        (a, b) => a.is_none() && b.is_none(),
    };
    let mut merged = vec![];
    for name in names {
        let (now, to, was) = (of(current, &name), of(to, &name), of(was, &name));
        let entry = match (same(&now, &was), same(&to, &was)) {
            (true, _) => to,
            (_, true) => now,
            _ if same(&now, &to) => now,
            _ => return Some(None),
        };
        merged.extend(entry);
    }
    Some(Some(merged.into()))
}

/// Whether two values are the same setting. A page writes whole numbers without a point, with more
/// digits than are stored, and leaves out absent values.
fn alike(a: &Value, b: &Value) -> bool {
    match (a, b) {
        (Value::Number(a), Value::Number(b)) => {
            let kept = |number: &Number| number.as_f64().map(|number| number as f32);
            a == b || kept(a) == kept(b)
        }
        (Value::Array(a), Value::Array(b)) => {
            a.len() == b.len() && a.iter().zip(b).all(|(a, b)| alike(a, b))
        }
        (Value::Object(a), Value::Object(b)) => {
            let of = |object: &Map<String, Value>, key: &str| {
                object.get(key).cloned().unwrap_or(Value::Null)
            };
            a.keys().chain(b.keys()).all(|key| alike(&of(a, key), &of(b, key)))
        }
        (a, b) => a == b,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    fn merged(current: Value, to: Value, was: Value) -> Result<Value, Vec<String>> {
        let mut value = current;
        let clashes = merge(&mut value, &Change { to: &to, was: Some(&was) });
        if clashes.is_empty() { Ok(value) } else { Err(clashes) }
    }

    #[test]
    fn settings_that_differ_are_merged_and_one_setting_clashes() {
        let current = json!({"combine": {"clip": 3.0, "level": true}, "align": {"mode": "stars"}});
        let (to, was) = (json!({"combine": {"level": false}}), json!({"combine": {"level": true}}));
        let done = merged(current.clone(), to, was).unwrap();
        assert_eq!(
            done,
            json!({"combine": {"clip": 3.0, "level": false}, "align": {"mode": "stars"}})
        );
        // The clip was 2.8 when this page changed it, and is 3 now.
        let (to, was) = (json!({"combine": {"clip": 4}}), json!({"combine": {"clip": 2.8}}));
        assert_eq!(merged(current.clone(), to, was), Err(vec!["combine.clip".to_owned()]));
        // The clip is stored with fewer digits than the page wrote.
        let kept = json!({"combine": {"clip": 2.123_456_8}});
        let (to, was) =
            (json!({"combine": {"clip": 3}}), json!({"combine": {"clip": 2.123_456_789}}));
        assert!(merged(kept, to, was).is_ok());
        // Both made the same change, and whole numbers are numbers.
        let (to, was) = (json!({"combine": {"clip": 3}}), json!({"combine": {"clip": 2.8}}));
        assert!(merged(current.clone(), to, was).is_ok());
        let (to, was) = (json!({"combine": {"clip": 4}}), json!({"combine": {"clip": 3}}));
        assert!(merged(current, to, was).is_ok());
    }

    #[test]
    fn strokes_of_both_pages_stay() {
        let (first, mine, theirs) = (json!({"p": [1]}), json!({"p": [2]}), json!({"p": [3]}));
        let current = json!({"strokes": [first, theirs]});
        let done = merged(current, json!({"strokes": [first, mine]}), json!({"strokes": [first]}));
        assert_eq!(done.unwrap(), json!({"strokes": [first, theirs, mine]}));
        // One page undid its first stroke while the other painted on.
        let done =
            merged(json!({"s": []}), json!({"s": [first, mine]}), json!({"s": [first]})).unwrap();
        assert_eq!(done, json!({"s": [mine]}));
        let done =
            merged(json!({"s": [first, theirs]}), json!({"s": []}), json!({"s": [first]})).unwrap();
        assert_eq!(done, json!({"s": [theirs]}));
    }

    #[test]
    fn single_frames_are_merged_one_by_one() {
        let difference = |frame: &str, ev: i32| json!({"blake3": frame, "change": {"gain_ev": ev}});
        let was = json!({"d": [difference("a", 0), difference("b", 0)]});
        let current = json!({"d": [difference("a", 1), difference("b", 0), difference("c", 5)]});
        let done = merged(
            current.clone(),
            json!({"d": [difference("a", 0), difference("b", 2)]}),
            was.clone(),
        );
        assert_eq!(
            done.unwrap(),
            json!({"d": [difference("a", 1), difference("b", 2), difference("c", 5)]})
        );
        // Removed on one side, changed on the other.
        let clash = merged(current, json!({"d": [difference("b", 0)]}), was);
        assert_eq!(clash, Err(vec!["d".to_owned()]));
    }

    #[test]
    fn a_choice_is_taken_as_a_whole() {
        let current = json!({"white_balance": {"by": "light", "kelvin": 4000, "tint": 3}});
        let to = json!({"white_balance": {"by": "as-shot"}});
        let done = merged(current.clone(), to.clone(), current.clone()).unwrap();
        assert_eq!(done, to);
        let mut value = current;
        assert!(merge(&mut value, &Change { to: &json!({"mask": null}), was: None }).is_empty());
        assert_eq!(value["mask"], Value::Null);
    }
}
