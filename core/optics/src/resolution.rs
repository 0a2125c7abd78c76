//! How sharp a panorama of a given width is.

/// Pixels per degree along the horizon of an equirectangular picture `width` pixels wide.
pub fn pixels_per_degree(width: u32) -> f64 {
    f64::from(width) / 360.0
}

/// The width in pixels that a headset with `pixels_per_degree` needs to be used to the full.
pub fn width_for_pixels_per_degree(pixels_per_degree: f64) -> f64 {
    360.0 * pixels_per_degree
}

/// The panorama width in pixels that keeps full detail behind a framed camera of `frame_width`
/// pixels and horizontal field of view `hfov` (radians): in the middle of the frame and at its edges.
///
/// The frame's gnomonic scale is `frame_width / (2 tan(h/2))` pixels per radian in the middle and
/// `1 / cos^2(h/2)` times that at the edge; the panorama's is `width / (2 pi)`.
pub fn backdrop_width(frame_width: f64, hfov: f64) -> (f64, f64) {
    let half = hfov / 2.0;
    let middle = std::f64::consts::PI * frame_width / half.tan();
    (middle, middle / half.cos().powi(2))
}

/// How many pixels of a panorama `width` pixels wide stand behind one pixel of a framed camera (`frame_width`
/// pixels, horizontal field of view `hfov`), `angle` away from the frame's middle, radians. Below 1 the
/// backdrop looks soft there. The inverse of [`backdrop_width`]'s scales.
pub fn backdrop_sharpness(width: f64, frame_width: f64, hfov: f64, angle: f64) -> f64 {
    width / backdrop_width(frame_width, hfov).0 * angle.cos().powi(2)
}
