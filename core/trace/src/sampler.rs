//! Sample points: Sobol pairs with hashed Owen scrambling (Burley 2020, "Practical Hash-based Owen
//! Scrambling", JCGT 9(4)). A point depends on pixel, sample number, seed and dimension alone.

/// Independent sets that the samples of a pixel belong to in turn. Each set is evenly spread in itself;
/// how far the sets' means lie apart tells the noise honestly, which the spread within one set would not.
/// Half of the sets decide when a pixel has had enough, the others tell its noise: sets that had a say in
/// the end would look calmer than they are.
pub const SETS: u32 = 8;

/// The sample points of one path.
pub struct Sampler {
    pixel_seed: u32,
    index: u32,
    dimension: u32,
}

impl Sampler {
    /// The points of sample `index` of pixel (`column`, `row`).
    pub fn new(column: u32, row: u32, index: u32, seed: u32) -> Self {
        Self {
            pixel_seed: hash(hash(hash(hash(seed ^ 0x9e37_79b9) ^ column) ^ row) ^ (index % SETS)),
            index: index / SETS,
            dimension: 0,
        }
    }

    /// The points of one of `of` ways that go on from here. Those of all ways of all samples are one sequence, so that they are evenly
    /// spread together. Samples that part into other numbers of ways have sequences of their own.
    pub fn way(&self, which: u32, of: u32) -> Self {
        Self {
            pixel_seed: hash(self.pixel_seed ^ of),
            index: self.index * of + which,
            dimension: self.dimension,
        }
    }

    /// The shuffled index in the next dimension and the seed of that. Everything after it is wanted with its bits the other way
    /// round, so that reversals cancel.
    #[inline]
    fn next(&mut self) -> (u32, u32) {
        let seed = hash(self.pixel_seed ^ hash(self.dimension));
        self.dimension += 1;
        let index = mixed(self.index.reverse_bits(), seed).reverse_bits();
        (index, seed)
    }

    /// The next point of the unit square.
    #[inline]
    pub fn next_2d(&mut self) -> (f32, f32) {
        let (index, seed) = self.next();
        let y = mixed(second(index), hash(seed ^ 0x02e5_be93)).reverse_bits();
        (first(index, seed), unit(y))
    }

    /// The next number of the unit interval.
    #[inline]
    pub fn next_1d(&mut self) -> f32 {
        let (index, seed) = self.next();
        first(index, seed)
    }
}

/// The first dimension of the Sobol sequence, scrambled.
#[inline]
fn first(index: u32, seed: u32) -> f32 {
    unit(mixed(index, hash(seed ^ 0x68bc_21eb)).reverse_bits())
}

/// 24 bits as a float in 0 <= x < 1.
fn unit(bits: u32) -> f32 {
    (bits >> 8) as f32 * (1.0 / 16_777_216.0)
}

/// A good mixing of 32 bits (the "lowbias32" constants, published by their finder, from memory).
fn hash(mut x: u32) -> u32 {
    x ^= x >> 16;
    x = x.wrapping_mul(0x7feb_352d);
    x ^= x >> 15;
    x = x.wrapping_mul(0x846c_a68b);
    x ^ (x >> 16)
}

/// Owen's nested uniform scrambling by hash, of bits that lie the other way round: every bit is flipped depending on those
/// below it.
fn mixed(mut x: u32, seed: u32) -> u32 {
    x = x.wrapping_add(seed);
    x ^= x.wrapping_mul(0x6c50_b47c);
    x ^= x.wrapping_mul(0xb82f_1e52);
    x ^= x.wrapping_mul(0xc7af_e638);
    x ^ x.wrapping_mul(0x8d22_f6e6)
}

/// The second dimension of the Sobol sequence with its bits the other way round. Its matrix is Pascal's triangle modulo 2: bit j
/// is the sum of all bits k of the index with C(k, j) odd, and those are the k whose binary digits hold all digits of j (Lucas
/// 1878). A sum over supersets takes one step for each of the five digits of a place.
fn second(mut x: u32) -> u32 {
    x ^= (x >> 1) & 0x5555_5555;
    x ^= (x >> 2) & 0x3333_3333;
    x ^= (x >> 4) & 0x0f0f_0f0f;
    x ^= (x >> 8) & 0x00ff_00ff;
    x ^ (x >> 16)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The second dimension by its direction numbers v(k+1) = v(k) xor v(k)/2 (Sobol 1967), bit by bit.
    fn by_directions(mut index: u32) -> u32 {
        let mut result = 0;
        let mut direction = 1u32 << 31;
        while index != 0 {
            if index & 1 != 0 {
                result ^= direction;
            }
            index >>= 1;
            direction ^= direction >> 1;
        }
        result
    }

    #[test]
    fn sums_over_supersets_are_the_second_dimension() {
        for i in 0..100_000u32 {
            let index = hash(i) >> (i % 32);
            assert_eq!(
                second(index).reverse_bits(),
                by_directions(index),
                "{index}"
            );
        }
    }

    /// The defining property of a (0,2)-sequence: of any 16 points that start at a multiple of 16 every
    /// elementary box of area 1/16 holds exactly one (Sobol 1967); scrambling keeps it.
    #[test]
    fn sixteen_points_fill_every_elementary_box() {
        for pixel in 0..20 {
            let points: Vec<_> = (0..16)
                .map(|i| Sampler::new(pixel, 7, i * SETS + pixel % SETS, 1).next_2d())
                .collect();
            for (nx, ny) in [(16, 1), (8, 2), (4, 4), (2, 8), (1, 16)] {
                let mut boxes = vec![0; 16];
                for (x, y) in &points {
                    boxes[(x * nx as f32) as usize * ny + (y * ny as f32) as usize] += 1;
                }
                assert!(boxes.iter().all(|&n| n == 1), "{nx}x{ny}: {boxes:?}");
            }
        }
    }

    /// Where each sample parts into two or four ways, the points of all ways together fill the boxes: better than any of them alone.
    #[test]
    fn the_ways_of_all_samples_are_one_sequence() {
        for of in [2, 4] {
            for pixel in 0..20 {
                let samples =
                    (0..16 / of).map(|i| Sampler::new(pixel, 7, i * SETS + pixel % SETS, 1));
                let points: Vec<_> = samples
                    .flat_map(|mut sampler| {
                        // They part after some points of their own.
                        sampler.next_1d();
                        (0..of).map(move |which| sampler.way(which, of).next_2d())
                    })
                    .collect();
                assert_eq!(points.len(), 16);
                for (nx, ny) in [(16, 1), (4, 4), (1, 16)] {
                    let place = |(x, y): &(f32, f32)| {
                        (x * nx as f32) as usize * ny + (y * ny as f32) as usize
                    };
                    let boxes: std::collections::HashSet<usize> =
                        points.iter().map(place).collect();
                    assert_eq!(boxes.len(), 16, "{of} ways, {nx}x{ny}");
                }
            }
        }
    }

    #[test]
    fn pixels_dimensions_and_seeds_are_independent() {
        let mean_product = |f: &dyn Fn(u32) -> (f32, f32)| {
            let n = 20_000;
            (0..n)
                .map(f)
                .map(|(a, b)| f64::from((a - 0.5) * (b - 0.5)))
                .sum::<f64>()
                / f64::from(n)
        };
        let neighbours = mean_product(&|i| {
            (
                Sampler::new(i, 3, 5, 0).next_1d(),
                Sampler::new(i + 1, 3, 5, 0).next_1d(),
            )
        });
        let dimensions = mean_product(&|i| {
            let mut s = Sampler::new(i, 3, 5, 0);
            (s.next_1d(), s.next_1d())
        });
        let seeds = mean_product(&|i| {
            (
                Sampler::new(i, 3, 5, 0).next_1d(),
                Sampler::new(i, 3, 5, 1).next_1d(),
            )
        });
        let ways = mean_product(&|i| {
            let s = Sampler::new(i, 3, 5, 0);
            (s.way(0, 3).next_1d(), s.way(0, 2).next_1d())
        });
        for c in [neighbours, dimensions, seeds, ways] {
            // Standard error of the mean of such products: (1/12)/sqrt(n) = 0.0006.
            assert!(c.abs() < 0.003, "{c}");
        }
    }
}
