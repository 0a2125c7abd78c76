//! Angles at the edge of the program: wrapping and rounding of degrees.

/// Wraps a heading into `0 <= heading < 360` degrees.
///
/// ```
/// assert_eq!(dome_optics::angle::wrap_heading_deg(-90.0), 270.0);
/// ```
pub fn wrap_heading_deg(heading_deg: f64) -> f64 {
    let wrapped = heading_deg.rem_euclid(360.0);
    // rem_euclid of a tiny negative number rounds up to 360 itself.
    if wrapped >= 360.0 { 0.0 } else { wrapped }
}

/// Wraps an angle into `-180 < angle <= 180` degrees: the short way round.
pub fn wrap_signed_deg(angle_deg: f64) -> f64 {
    let wrapped = wrap_heading_deg(angle_deg);
    if wrapped > 180.0 {
        wrapped - 360.0
    } else {
        wrapped
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn headings_wrap_into_one_turn() {
        assert_eq!(wrap_heading_deg(725.0), 5.0);
        assert_eq!(wrap_heading_deg(360.0), 0.0);
        assert_eq!(wrap_heading_deg(-1e-300), 0.0);
        assert_eq!(wrap_signed_deg(190.0), -170.0);
        assert_eq!(wrap_signed_deg(180.0), 180.0);
        assert_eq!(wrap_signed_deg(-180.0), 180.0);
    }
}
