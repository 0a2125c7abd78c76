//! The worked values that several tests read.

/// One value; which numbers it has depends on its source.
#[derive(serde::Deserialize)]
#[allow(dead_code)] // each test file uses its part
pub struct Check {
    pub source: String,
    #[serde(default)]
    pub dir: Option<[f64; 3]>,
    #[serde(default)]
    pub lonlat: Option<[f64; 2]>,
    #[serde(default)]
    pub lon0lat0: Option<[f64; 2]>,
    #[serde(default)]
    pub px: Option<[f64; 2]>,
    #[serde(default)]
    pub xy: Option<[f64; 2]>,
    #[serde(default)]
    pub ypr: Option<[f64; 3]>,
    #[serde(default)]
    pub cam: Option<[f64; 3]>,
}

/// Those whose source starts so; there must be `least` of them.
pub fn checks(source: &str, least: usize) -> Vec<Check> {
    let all: Vec<Check> =
        serde_json::from_str(include_str!("../check_values.json")).expect("the committed values");
    let found: Vec<Check> = (all.into_iter())
        .filter(|c| c.source.starts_with(source))
        .collect();
    assert!(found.len() >= least, "{source}: {}", found.len());
    found
}
