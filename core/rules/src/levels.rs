//! Levels of film encodings: what a player must be able to do, and who may fail.
//!
//! H.264: ITU-T H.264, table A-1; H.265: ITU-T H.265, table A.8; the numbers from memory of both.

/// Encodings whose levels are known.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Coding {
    /// H.264 (AVC).
    H264,
    /// H.265 (HEVC), main tier.
    H265,
}

/// Most of a picture and of a second that a level allows: macroblocks of 16 x 16 px for H.264, luma samples for H.265.
const H264: [(&str, u64, u64); 9] = [
    ("3.1", 3_600, 108_000),
    ("4.0", 8_192, 245_760),
    ("4.2", 8_704, 522_240),
    ("5.0", 22_080, 589_824),
    ("5.1", 36_864, 983_040),
    ("5.2", 36_864, 2_073_600),
    ("6.0", 139_264, 4_177_920),
    ("6.1", 139_264, 8_355_840),
    ("6.2", 139_264, 16_711_680),
];
const H265: [(&str, u64, u64); 9] = [
    ("3.1", 983_040, 33_177_600),
    ("4.0", 2_228_224, 66_846_720),
    ("4.1", 2_228_224, 133_693_440),
    ("5.0", 8_912_896, 267_386_880),
    ("5.1", 8_912_896, 534_773_760),
    ("5.2", 8_912_896, 1_069_547_520),
    ("6.0", 35_651_584, 1_069_547_520),
    ("6.1", 35_651_584, 2_139_095_040),
    ("6.2", 35_651_584, 4_278_190_080),
];

/// The lowest level that a film fits; nothing if none does. Sides in pixels, the rate in frames a second.
pub fn level(coding: Coding, (width, height): (u32, u32), rate: f64) -> Option<&'static str> {
    let (table, picture) = match coding {
        Coding::H264 => (
            H264,
            u64::from(width.div_ceil(16)) * u64::from(height.div_ceil(16)),
        ),
        Coding::H265 => (H265, u64::from(width) * u64::from(height)),
    };
    let second = picture as f64 * rate;
    let fits = |(_, most, speed): &&(&str, u64, u64)| picture <= *most && second <= *speed as f64;
    table.iter().find(fits).map(|(name, ..)| *name)
}

/// Who may fail on a film, in a sentence; nothing if every current player takes it (common practice, no source).
pub fn warning(coding: Coding, size: (u32, u32), rate: f64) -> Option<String> {
    let beyond = |name: &str| name >= "6";
    match (coding, level(coding, size, rate)) {
        (Coding::H264, None) => Some(
            "No level of H.264 allows this size and rate; take --codec h265 or a smaller film."
                .into(),
        ),
        (Coding::H265, None) => {
            Some("No level of H.265 allows this size and rate; take a smaller film.".into())
        }
        (Coding::H264, Some(name)) if beyond(name) => Some(format!(
            "It needs H.264 level {name}, which many players and most hardware decoders lack; H.265 is understood more widely at this size."
        )),
        (Coding::H265, Some(name)) if beyond(name) => Some(format!(
            "It needs H.265 level {name}, which only recent headsets and graphics processors decode."
        )),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Sizes and rates that people use, with their levels by the tables above; which they are is common practice, no source.
    #[test]
    fn films_get_the_levels_of_the_tables() {
        let h264 = |w, h, rate| level(Coding::H264, (w, h), rate);
        assert_eq!(h264(3840, 1920, 30.0), Some("5.1"));
        assert_eq!(h264(3840, 1920, 60.0), Some("5.2"));
        // 32,768 macroblocks at 30 are exactly the most of 5.1.
        assert_eq!(h264(4096, 2048, 30.0), Some("5.1"));
        assert_eq!(h264(4096, 2048, 30.01), Some("5.2"));
        for (w, h) in [(3840, 3840), (5760, 2880), (7680, 3840)] {
            assert_eq!(h264(w, h, 30.0), Some("6.0"), "{w}");
        }
        assert_eq!(h264(16_384, 8_192, 30.0), None);
        let h265 = |w, h, rate| level(Coding::H265, (w, h), rate);
        assert_eq!(h265(3840, 1920, 60.0), Some("5.1"));
        assert_eq!(h265(7680, 3840, 30.0), Some("6.0"));
        assert_eq!(h265(7680, 3840, 60.0), Some("6.1"));
        assert_eq!(warning(Coding::H264, (3840, 1920), 60.0), None);
        let said = warning(Coding::H264, (7680, 3840), 30.0).unwrap();
        assert!(said.contains("6.0") && said.contains("H.265"), "{said}");
        assert!(
            warning(Coding::H265, (7680, 3840), 60.0)
                .unwrap()
                .contains("6.1")
        );
    }
}
