//! Where the sun stands, by date, solar hour and latitude.

/// Height above the horizon and heading (clockwise from north) of the sun, degrees, without refraction.
///
/// `day` counts from 1 on the first of January, `hour` is true solar time (12 when the sun is highest),
/// `latitude_deg` is positive to the north. The sun's longitude is Meeus' low-accuracy one (Astronomical
/// Algorithms, chapter 25, from memory), good to 0.02 degrees over decades around 2000, plus up to half a
/// degree of declination for the year's place in the leap cycle near the equinoxes.
pub fn position(latitude_deg: f64, day: u32, hour: f64) -> (f64, f64) {
    let declination = declination_deg(f64::from(day) + hour / 24.0).to_radians();
    let latitude = latitude_deg.to_radians();
    let turn = ((hour - 12.0) * 15.0).to_radians();
    let up = latitude.sin() * declination.sin() + latitude.cos() * declination.cos() * turn.cos();
    let south =
        latitude.sin() * declination.cos() * turn.cos() - latitude.cos() * declination.sin();
    let west = declination.cos() * turn.sin();
    let heading = west.atan2(south).to_degrees() + 180.0;
    (
        up.clamp(-1.0, 1.0).asin().to_degrees(),
        crate::angle::wrap_heading_deg(heading),
    )
}

/// How far north of the equator the sun stands, degrees, on a day of an average year (1.5 is the noon of
/// the first of January).
pub fn declination_deg(day: f64) -> f64 {
    // Days from the epoch J2000.0, the noon of 1 January 2000.
    let n = day - 1.5;
    let mean_longitude = 280.460 + 0.985_647_4 * n;
    let anomaly = (357.528 + 0.985_600_3 * n).to_radians();
    let longitude =
        (mean_longitude + 1.915 * anomaly.sin() + 0.020 * (2.0 * anomaly).sin()).to_radians();
    let tilt = 23.439_f64.to_radians();
    (tilt.sin() * longitude.sin()).asin().to_degrees()
}

/// The day of the year of a month and day in a year of 365 days, or `None` for a date that is not.
pub fn day_of_year(month: u32, day: u32) -> Option<u32> {
    const LENGTHS: [u32; 12] = [31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31];
    let before = LENGTHS.get(..month.checked_sub(1)? as usize)?;
    let length = *LENGTHS.get(month as usize - 1)?;
    // The 29th of February is taken as the 28th.
    let day = if month == 2 && day == 29 { 28 } else { day };
    (1..=length)
        .contains(&day)
        .then(|| before.iter().sum::<u32>() + day)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// At noon the sun stands 90 degrees less the latitude's distance from the declination high; the
    /// declination is the tilt of the axis, 23.44 degrees, at the solstices and near 0 at the equinoxes
    /// (definitions; the dates by common practice, no source).
    #[test]
    fn solstices_and_equinoxes() {
        let noon = |month, day| position(48.0, day_of_year(month, day).unwrap(), 12.0);
        let (summer, south) = noon(6, 21);
        assert!((summer - (90.0 - 48.0 + 23.44)).abs() < 0.05 && (south - 180.0).abs() < 1e-6);
        assert!((noon(12, 21).0 - (90.0 - 48.0 - 23.44)).abs() < 0.05);
        assert!((noon(3, 20).0 - 42.0).abs() < 0.5);
        // At the equinox it rises in the east at six.
        let (low, east) = position(48.0, day_of_year(3, 20).unwrap(), 6.0);
        assert!(low.abs() < 0.6 && (east - 90.0).abs() < 0.6, "{low} {east}");
        // South of the equator the noon sun stands in the north.
        let (_, north) = position(-35.0, 172, 12.0);
        assert!(north.min(360.0 - north) < 1e-6, "{north}");
        let (_, evening) = position(48.0, 172, 18.0);
        assert!((270.0..300.0).contains(&evening), "{evening}");
    }

    #[test]
    fn dates() {
        assert_eq!(day_of_year(1, 1), Some(1));
        assert_eq!(day_of_year(12, 31), Some(365));
        assert_eq!(day_of_year(2, 29), Some(59));
        assert_eq!(day_of_year(2, 30), None);
        assert_eq!(day_of_year(13, 1), None);
        assert_eq!(day_of_year(0, 1), None);
    }
}
