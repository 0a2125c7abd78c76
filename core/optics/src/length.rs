//! Lengths as people type them: a number with its unit.

use thiserror::Error;

/// Why a length was refused.
#[derive(Debug, Error, PartialEq)]
pub enum LengthError {
    /// There is no unit.
    #[error("\"{0}\" has no unit; write it with mm, cm, m, in or ft, for example 63mm.")]
    NoUnit(String),
    /// It is no length.
    #[error("\"{0}\" is not a length; write a number with mm, cm, m, in or ft, for example 63mm.")]
    Wrong(String),
}

/// Units by their signs, and how many metres each is; longer signs first.
const UNITS: [(&str, f64); 5] = [
    ("mm", 0.001),
    ("cm", 0.01),
    ("in", 0.0254),
    ("ft", 0.3048),
    ("m", 1.0),
];

/// Metres of a length such as `63mm` or `2.5in`. A number alone is refused: 63 may be millimetres or metres.
///
/// ```
/// assert_eq!(dome_optics::length::parse("2.5 in"), Ok(0.0635));
/// ```
pub fn parse(text: &str) -> Result<f64, LengthError> {
    let clean = text.trim().to_ascii_lowercase();
    let unit = UNITS.iter().find(|(sign, _)| clean.ends_with(sign));
    let Some((sign, metres)) = unit else {
        return Err(match clean.parse::<f64>() {
            Ok(_) => LengthError::NoUnit(text.trim().into()),
            Err(_) => LengthError::Wrong(text.trim().into()),
        });
    };
    let number = clean[..clean.len() - sign.len()].trim().replace(',', ".");
    match number.parse::<f64>() {
        // Rounded to what was written: 63 x 0.001 is not 0.063 to the last bit.
        Ok(n) if n.is_finite() => Ok((n * metres * 1e12).round() / 1e12),
        _ => Err(LengthError::Wrong(text.trim().into())),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lengths_are_read_with_their_units_only() {
        for (text, metres) in [
            ("63mm", 0.063),
            ("6.3 cm", 0.063),
            ("2.5in", 0.0635),
            ("1,5 m", 1.5),
            ("2FT", 0.6096),
            ("-3mm", -0.003),
        ] {
            assert_eq!(parse(text), Ok(metres), "{text}");
        }
        assert_eq!(parse("63"), Err(LengthError::NoUnit("63".into())));
        for wrong in ["", "mm", "63 parsec", "nanmm", "1e999m", "six m"] {
            assert_eq!(
                parse(wrong),
                Err(LengthError::Wrong(wrong.into())),
                "{wrong}"
            );
        }
    }
}
