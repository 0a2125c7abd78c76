//! Shading normals that differ from the true one: kept where they can be seen, and their shadows without a hard edge.

use glam::Vec3;

/// Least cosine between a shading normal and the direction of view, and between it and the true normal.
const LEAST: f32 = 0.01;
/// Halvings in the search for a normal that reflects to above the surface.
const HALVINGS: u32 = 6;

/// A shading normal that is seen from the direction `view` (towards the viewer) and mirrors it to above the surface of true normal
/// `geometric`: the one that was meant, else the nearest on the way to the true one. It changes steadily with what it depends on,
/// so no seam is drawn where normals begin to turn away.
pub(crate) fn seen_normal(meant: Vec3, geometric: Vec3, view: Vec3) -> Vec3 {
    let mut n = meant;
    for towards in [geometric, view] {
        let cosine = n.dot(towards);
        if cosine < LEAST {
            n = (n + towards * (LEAST - cosine)).normalize_or(geometric);
        }
    }
    // The mirrored view is 2 (n . view) n - view.
    let above = |n: Vec3| 2.0 * n.dot(view) * n.dot(geometric) - view.dot(geometric);
    if above(n) >= 0.0 {
        return n;
    }
    let (mut below, mut fits) = (0.0, 1.0);
    let at = |t: f32| n.lerp(geometric, t).normalize_or(geometric);
    for _ in 0..HALVINGS {
        let middle = (below + fits) / 2.0;
        if above(at(middle)) >= 0.0 {
            fits = middle;
        } else {
            below = middle;
        }
    }
    at(fits)
}

/// How much of the light from a direction is left where a bump's normal sees it and the surface's own `geometric` one hides it: 1 far
/// from the edge of the shadow, steadily down to 0 at it (Chiang, Li and Burley 2019, "Taming the Shadow Terminator"). `cosine` is that of
/// the direction to the shading normal.
pub(crate) fn terminator(direction: Vec3, cosine: f32, shading: Vec3, geometric: Vec3) -> f32 {
    let meant = cosine * shading.dot(geometric);
    let true_cosine = direction.dot(geometric);
    if true_cosine >= meant || meant <= 0.0 {
        return 1.0;
    }
    let g = (true_cosine / meant).max(0.0);
    g + g * g - g * g * g
}

#[cfg(test)]
mod tests {
    use super::*;

    fn direction(heading: f32, height: f32) -> Vec3 {
        let (s, c) = heading.sin_cos();
        let (h, l) = height.sin_cos();
        Vec3::new(l * s, h, l * c)
    }

    /// Whatever is meant, the normal is seen, mirrors to above, and moves by little when the view does.
    #[test]
    fn seen_normals_reflect_upwards_and_move_steadily() {
        for i in 0..40 {
            let meant = direction(i as f32 * 0.7, (i as f32 * 0.37).sin().abs() * 1.5 - 0.1);
            let mut before: Option<Vec3> = None;
            for k in 0..2000 {
                let view = direction(0.3, 1.57 - 1.56 * k as f32 / 2000.0);
                let n = seen_normal(meant, Vec3::Y, view);
                assert!((n.length() - 1.0).abs() < 1e-4);
                let mirrored = 2.0 * n.dot(view) * n - view;
                assert!(n.dot(view) > 0.0 && n.y > 0.0, "{meant} {view} {n}");
                assert!(mirrored.y > -2e-2, "{meant} {view}: {mirrored}");
                if let Some(before) = before {
                    assert!(before.distance(n) < 0.06, "{meant} {view}: {before} {n}");
                }
                before = Some(n);
            }
        }
        // Nothing is changed where nothing need be.
        let meant = direction(1.0, 1.2);
        assert_eq!(seen_normal(meant, Vec3::Y, Vec3::Y), meant);
    }

    /// Full light where the true normal faces it better, none at the true edge, and steadily between.
    #[test]
    fn light_fades_before_the_true_edge() {
        let shading = direction(0.0, 1.57 - 0.5);
        let light = |height: f32| {
            let d = direction(0.0, height);
            terminator(d, d.dot(shading), shading, Vec3::Y)
        };
        assert_eq!(light(1.57), 1.0);
        assert!(light(0.001) < 0.01);
        let mut before = 0.0;
        for k in 0..200 {
            let now = light(1.5 * k as f32 / 200.0);
            assert!(now >= before - 1e-6 && now - before < 0.05 && now <= 1.0 + 1e-6);
            before = now;
        }
    }
}
