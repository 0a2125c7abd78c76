//! How the model is kept: as JSON with the version of the model, so that later versions know what they read and bring it up to
//! date, and earlier ones do not misunderstand it.

use serde::Serialize;
use serde::de::{DeserializeOwned, Error as _};
use serde_json::{Error, Value};

/// The version of the model that this program writes. What was kept before there were versions is of version 0.
pub const VERSION: u64 = 4;
/// The field that tells the version.
const FIELD: &str = "model";

/// What brings a record of a version to the next, in the order of versions.
const STEPS: [fn(&mut Value); VERSION as usize] = [
    // Version 1 is version 0 with its number.
    |_| {},
    // Version 2 knows rigs; whoever has none has one eye.
    |_| {},
    // Version 3 knows paths; viewpoints without one stand still.
    |_| {},
    // Version 4 knows orders of many frames; those without are one picture.
    |_| {},
];

/// A record as it is kept. One that could not be read again is refused: a number that is none (NaN, infinity) would be written as
/// nothing, and a project that holds it would not open any more.
pub fn write<T: Serialize + DeserializeOwned>(record: &T) -> Result<String, Error> {
    let text = written(record)?;
    read::<T>(&text).map(drop).map_err(|e| {
        Error::custom(format!(
            "it would not be read again, so it is not kept: {e}; one of its numbers is none"
        ))
    })?;
    Ok(text)
}

fn written(record: &impl Serialize) -> Result<String, Error> {
    let mut value = serde_json::to_value(record)?;
    if let Value::Object(fields) = &mut value {
        fields.insert(FIELD.into(), VERSION.into());
    }
    serde_json::to_string(&value)
}

/// A record that was kept by this version or an earlier one.
pub fn read<T: DeserializeOwned>(text: &str) -> Result<T, Error> {
    let mut value: Value = serde_json::from_str(text)?;
    let found = match &mut value {
        Value::Object(fields) => (fields.remove(FIELD)).map_or(Some(0), |v| v.as_u64()),
        _ => Some(0),
    };
    let found = found.ok_or_else(|| Error::custom("its version is no number"))?;
    if found > VERSION {
        return Err(Error::custom(format!(
            "it was written by a newer Owl Dome: model {found}, and this one knows {VERSION}"
        )));
    }
    for step in STEPS.iter().skip(found as usize) {
        step(&mut value);
    }
    serde_json::from_value(value)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::places::Pose;

    /// What would not be read again is never written.
    #[test]
    fn a_number_that_is_none_is_refused() {
        for bad in [f64::NAN, f64::INFINITY, f64::NEG_INFINITY] {
            let pose = Pose {
                position: [0.0, bad, 0.0],
                heading_deg: 0.0,
                pitch_deg: 0.0,
                roll_deg: 0.0,
            };
            let said = write(&pose).unwrap_err().to_string();
            assert!(said.contains("not kept"), "{said}");
        }
    }

    #[test]
    fn records_tell_their_version_and_newer_ones_are_refused() {
        let pose = Pose {
            position: [1.0, 2.0, 3.0],
            heading_deg: 4.5,
            pitch_deg: 0.0,
            roll_deg: 0.0,
        };
        let text = write(&pose).unwrap();
        let own = format!("\"model\":{VERSION}");
        assert!(text.contains(&own), "{text}");
        assert_eq!(read::<Pose>(&text).unwrap(), pose);
        // As it was kept before there were versions.
        let old = serde_json::to_string(&pose).unwrap();
        assert_eq!(read::<Pose>(&old).unwrap(), pose);
        for (text, said) in [
            (text.replace(&own, "\"model\":7"), "newer"),
            (text.replace(&own, "\"model\":\"x\""), "no number"),
            ("{\"position\":[1".into(), "EOF"),
        ] {
            let why = read::<Pose>(&text).unwrap_err().to_string();
            assert!(why.contains(said), "{why}");
        }
    }
}
