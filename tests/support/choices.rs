//! Choices by a seed that is printed, so that they can be made again.

/// Numbers by a seed, for choices that can be made again.
pub struct Choices(pub u64);

impl Choices {
    /// A number below another one.
    pub fn below(&mut self, end: u64) -> u64 {
        // A known step of a linear congruential generator (Knuth's MMIX, from memory); its high bits are good enough.
        self.0 = (self.0)
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) % end
    }
}

/// A number that the environment tells, or another one.
pub fn told(name: &str, otherwise: u64) -> u64 {
    let told = std::env::var(name).ok();
    told.and_then(|t| t.parse().ok()).unwrap_or(otherwise)
}
