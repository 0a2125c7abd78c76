//! The materials of the observatory.

use crate::gltf_write::{Paint, PaintId, Stage};
use crate::pattern;

/// One handle for each material.
#[derive(Clone, Copy, Debug)]
#[allow(missing_docs)]
pub struct Paints {
    pub boards: PaintId,
    pub oak: PaintId,
    pub walnut: PaintId,
    pub plaster: PaintId,
    pub stone: PaintId,
    pub paving: PaintId,
    pub dome: PaintId,
    pub rib: PaintId,
    pub brass: PaintId,
    pub dark_brass: PaintId,
    pub iron: PaintId,
    pub glass_dark: PaintId,
    pub leather: PaintId,
    pub rug: PaintId,
    pub charts: [PaintId; 3],
    pub books: PaintId,
    pub paper: PaintId,
    pub globe: PaintId,
    pub shade: PaintId,
    pub bulb: PaintId,
    pub night_lamp: PaintId,
    pub wall_lamp: PaintId,
    pub cove: PaintId,
    pub sun: PaintId,
    pub window_glow: PaintId,
    pub land: PaintId,
    pub water: PaintId,
    pub leaf: PaintId,
    pub bark: PaintId,
    pub house: PaintId,
    pub roof: PaintId,
    pub clay: PaintId,
    pub white: PaintId,
}

impl Paints {
    pub(crate) fn new(s: &mut Stage) -> Self {
        let boards = s.picture(
            "floor boards",
            &pattern::planks([0.36, 0.22, 0.13], [0.70, 0.50, 0.32]),
        );
        let oak = s.picture(
            "oak",
            &pattern::wood([0.30, 0.18, 0.09], [0.58, 0.39, 0.22], 3),
        );
        let walnut = s.picture(
            "walnut",
            &pattern::wood([0.22, 0.12, 0.075], [0.46, 0.28, 0.17], 8),
        );
        let plaster = s.picture("plaster", &pattern::plaster());
        let stones = s.picture("stones", &pattern::stones());
        let rug = s.picture("rug", &pattern::rug());
        let charts: [usize; 3] =
            std::array::from_fn(|i| s.picture("star chart", &pattern::star_chart(i as u32 + 1)));
        let books = s.picture("book spines", &pattern::spines());
        let land = s.picture("land", &pattern::land());
        let white = [1.0; 3];
        let mut p = |paint: Paint| s.paint(paint);
        Self {
            boards: p(Paint::new("Waxed boards", white, 0.0, 0.45).textured(boards, [2.4, 1.2])),
            oak: p(Paint::new("Oak", white, 0.0, 0.45).textured(oak, [1.6, 0.8])),
            walnut: p(Paint::new("Polished walnut", white, 0.0, 0.4).textured(walnut, [1.6, 0.8])),
            plaster: p(Paint::new("Lime plaster", white, 0.0, 0.95).textured(plaster, [3.0, 3.0])),
            stone: p(Paint::new("Hewn stone", white, 0.0, 0.9).textured(stones, [1.2, 1.2])),
            paving: p(
                Paint::new("Paving", [0.9, 0.88, 0.84], 0.0, 0.85).textured(stones, [2.4, 2.4])
            ),
            dome: p(Paint::new("Dome plates", [0.52, 0.57, 0.60], 0.0, 0.6)),
            rib: p(Paint::new("Dome ribs", [0.10, 0.13, 0.17], 0.3, 0.5)),
            brass: p(Paint::new("Polished brass", [0.91, 0.66, 0.30], 1.0, 0.22)),
            dark_brass: p(Paint::new("Aged brass", [0.48, 0.33, 0.16], 1.0, 0.38)),
            iron: p(Paint::new("Cast iron", [0.06, 0.065, 0.07], 0.4, 0.5)),
            glass_dark: p(Paint::new("Lens", [0.01, 0.012, 0.02], 0.0, 0.02)),
            leather: p(Paint::new("Green leather", [0.07, 0.13, 0.08], 0.0, 0.45)),
            rug: p(Paint::new("Rug", white, 0.0, 1.0).textured(rug, [1.0, 1.0])),
            charts: charts
                .map(|c| p(Paint::new("Star chart", white, 0.0, 0.9).textured(c, [1.0, 1.0]))),
            books: p(Paint::new("Books", white, 0.0, 0.6).textured(books, [1.0, 1.0])),
            paper: p(Paint::new("Paper", [0.80, 0.75, 0.64], 0.0, 0.9)),
            globe: p(Paint::new("Celestial globe", [0.55, 0.65, 0.9], 0.0, 0.25)
                .textured(charts[1], [1.0, 1.0])),
            shade: p(Paint::new("Green enamel", [0.03, 0.16, 0.09], 0.0, 0.15)),
            bulb: p(Paint::new("Lamp bulb", [0.8, 0.8, 0.8], 0.0, 0.5)
                .glowing([1.0, 0.64, 0.30], 10_400.0)),
            night_lamp: p(Paint::new("Red night lamp", [0.5, 0.1, 0.1], 0.0, 0.4)
                .glowing([1.0, 0.09, 0.04], 1_280.0)),
            wall_lamp: p(Paint::new("Opal glass", [0.8, 0.8, 0.8], 0.0, 0.3)
                .glowing([1.0, 0.70, 0.42], 7_600.0)),
            cove: p(Paint::new("Cove light", [0.8, 0.8, 0.8], 0.0, 0.5)
                .glowing([1.0, 0.76, 0.52], 3_840.0)),
            sun: p(
                Paint::new("Evening sun", [0.0; 3], 0.0, 1.0).glowing([1.0, 0.62, 0.30], 72_000.0)
            ),
            window_glow: p(Paint::new("Lit window", [0.2, 0.15, 0.1], 0.0, 0.5)
                .glowing([1.0, 0.62, 0.28], 400.0)),
            land: p(Paint::new("Heath", white, 0.0, 1.0).textured(land, [1.4, 1.4])),
            water: p(Paint::new("Lake", [0.02, 0.045, 0.06], 0.0, 0.04)),
            leaf: p(Paint::new("Cypress", [0.055, 0.095, 0.045], 0.0, 0.9)),
            bark: p(Paint::new("Bark", [0.12, 0.08, 0.05], 0.0, 0.9)),
            house: p(Paint::new("Village walls", [0.68, 0.60, 0.50], 0.0, 0.9)),
            roof: p(Paint::new("Village roofs", [0.36, 0.16, 0.10], 0.0, 0.8)),
            clay: p(Paint::new("Flower pot", [0.50, 0.23, 0.13], 0.0, 0.8)),
            white: p(Paint::new("Ivory", [0.82, 0.78, 0.68], 0.0, 0.4)),
        }
    }
}
