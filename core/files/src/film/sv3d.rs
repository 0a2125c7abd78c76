//! `sv3d`: how the picture is wrapped round a viewer (Spherical Video V2, in the sample entry).

use super::boxes::Node;
use super::{FilmProjection, Sphere};

pub(super) const KIND: &[u8; 4] = b"sv3d";

/// Degrees as 16.16 fixed point.
fn fixed(deg: f64) -> [u8; 4] {
    ((deg * 65_536.0).round() as i32).to_be_bytes()
}

/// A share of 1 as 0.32 fixed point.
pub(super) fn share(v: f64) -> [u8; 4] {
    ((v * 4_294_967_296.0).round().clamp(0.0, 4_294_967_295.0) as u32).to_be_bytes()
}

/// A full box: version 0 and no flags before its bytes.
fn full(kind: [u8; 4], body: impl IntoIterator<Item = u8>) -> Node {
    Node::new(kind, [0; 4].into_iter().chain(body).collect())
}

pub(super) fn write(sphere: &Sphere) -> Node {
    let source = format!("{}\0", crate::SOFTWARE);
    let svhd = full(*b"svhd", source.into_bytes());
    let prhd = full(*b"prhd", sphere.pose_deg.into_iter().flat_map(fixed));
    let data = match sphere.projection {
        FilmProjection::Equirect { bounds } => full(*b"equi", bounds.into_iter().flat_map(share)),
        FilmProjection::Cube { layout, padding } => full(
            *b"cbmp",
            [layout, padding].into_iter().flat_map(u32::to_be_bytes),
        ),
    };
    let proj = Node::with(*b"proj", vec![prhd, data]);
    Node::with(*KIND, vec![svhd, proj])
}

/// What it says: how it is wrapped and how it is turned; or a sentence about what is wrong.
pub(super) fn read(node: &Node) -> Result<(FilmProjection, [f64; 3]), String> {
    let wrong = |what: &str| format!("Its sv3d box {what}; players may refuse the film.");
    let Some(svhd) = node.child(b"svhd") else {
        return Err(wrong("has no svhd"));
    };
    if svhd.body.len() < 5 || svhd.body.last() != Some(&0) {
        return Err(wrong("has an svhd whose text does not end with a NUL"));
    }
    let Some(proj) = node.child(b"proj") else {
        return Err(wrong("has no proj"));
    };
    let prhd = (proj.child(b"prhd")).ok_or_else(|| wrong("has no prhd"))?;
    let turn = |at: usize| prhd.u32_at(at).map(|v| f64::from(v as i32) / 65_536.0);
    let pose = (turn(4).zip(turn(8)).zip(turn(12))).map(|((a, b), c)| [a, b, c]);
    let pose = pose.ok_or_else(|| wrong("has a short prhd"))?;
    if let Some(equi) = proj.child(b"equi") {
        let mut bounds = [0.0; 4];
        for (i, bound) in bounds.iter_mut().enumerate() {
            let v = (equi.u32_at(4 + 4 * i)).ok_or_else(|| wrong("has a short equi"))?;
            *bound = f64::from(v) / 4_294_967_296.0;
        }
        let [top, bottom, left, right] = bounds;
        if top + bottom >= 1.0 || left + right >= 1.0 {
            return Err(wrong("has bounds that leave nothing"));
        }
        return Ok((FilmProjection::Equirect { bounds }, pose));
    }
    if let Some(cube) = proj.child(b"cbmp") {
        let told = cube.u32_at(4).zip(cube.u32_at(8));
        let (layout, padding) = told.ok_or_else(|| wrong("has a short cbmp"))?;
        return Ok((FilmProjection::Cube { layout, padding }, pose));
    }
    Err(wrong("tells a projection that is neither equi nor cbmp"))
}
