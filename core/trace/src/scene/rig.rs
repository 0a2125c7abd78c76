//! What stands on what in a scene file, and how it moves: nodes, their tracks over time, skins.

use glam::{DMat4, DQuat, DVec3, Mat4, Quat};
use std::collections::HashMap;

/// What is known of a scene's motion.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Motion {
    /// Number of clips.
    pub clips: usize,
    /// Length of the longest clip, seconds.
    pub length_s: f64,
}

/// What of a node a track moves.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) enum Property {
    Translation,
    Rotation,
    Scale,
    /// Weights of the morph targets.
    Weights,
}

/// How values between keys are found.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Between {
    Step,
    Straight,
    /// A key is the tangent coming in, the value, and the tangent going out.
    Cubic,
}

/// Keys of one property of one node.
pub(crate) struct Track {
    pub(crate) node: u32,
    pub(crate) property: Property,
    pub(crate) between: Between,
    /// Moments, seconds, growing; at least one.
    pub(crate) times: Vec<f32>,
    /// Values, `width` a key, or three times as many for cubics.
    pub(crate) values: Vec<f32>,
    pub(crate) width: usize,
}

/// A node at rest.
#[derive(Clone)]
pub(crate) enum Rest {
    Matrix(DMat4),
    Parts {
        translation: DVec3,
        rotation: DQuat,
        scale: DVec3,
    },
}

/// Turns in files have the precision of single floats: what is smaller than that beside the rest of its axis is nought, or
/// walls turned by a quarter would stand askew by as much, which boxes round them dislike.
fn squared_up(mut m: DMat4) -> DMat4 {
    for axis in [&mut m.x_axis, &mut m.y_axis, &mut m.z_axis] {
        let least = axis.truncate().length() * f64::from(f32::EPSILON);
        for part in [&mut axis.x, &mut axis.y, &mut axis.z] {
            if part.abs() < least {
                *part = 0.0;
            }
        }
    }
    m
}

fn placed(translation: DVec3, rotation: DQuat, scale: DVec3) -> DMat4 {
    squared_up(DMat4::from_scale_rotation_translation(
        scale,
        rotation,
        translation,
    ))
}

impl Rest {
    fn matrix(&self) -> DMat4 {
        match self {
            Self::Matrix(m) => squared_up(*m),
            Self::Parts {
                translation,
                rotation,
                scale,
            } => placed(*translation, *rotation, *scale),
        }
    }

    fn parts(&self) -> (DVec3, DQuat, DVec3) {
        match self {
            Self::Matrix(m) => {
                let (scale, rotation, translation) = m.to_scale_rotation_translation();
                (translation, rotation, scale)
            }
            Self::Parts {
                translation,
                rotation,
                scale,
            } => (*translation, *rotation, *scale),
        }
    }
}

/// A skin: the nodes that carry it, and where a corner lies in the space of each.
pub(crate) struct Skin {
    pub(crate) joints: Vec<u32>,
    pub(crate) inverse: Vec<Mat4>,
}

/// No node.
const NONE: u32 = u32::MAX;

/// A node where it is placed; one that several parents share is placed for each.
struct Entry {
    node: u32,
    parent: u32,
    /// Whether it or one that it stands on has a track.
    moves: bool,
}

/// All of it.
#[derive(Default)]
pub(crate) struct Rig {
    rest: Vec<Rest>,
    tracks: Vec<Track>,
    /// Whether a node has a track that places it.
    led: Vec<bool>,
    /// Whether a node has a track of weights.
    weighed: Vec<bool>,
    /// Placed nodes, parents before children.
    entries: Vec<Entry>,
    /// Where each entry stands at rest, in the file's frame.
    worlds: Vec<DMat4>,
    /// The entry of each node that was placed last.
    of_node: Vec<u32>,
    pub(crate) skins: Vec<Skin>,
}

/// The nodes that have tracks at a moment.
pub(crate) struct Poses {
    locals: HashMap<u32, DMat4>,
    weights: HashMap<u32, Vec<f32>>,
    /// Where moving entries stand, as far as they were asked for.
    worlds: std::cell::RefCell<HashMap<u32, DMat4>>,
}

impl Poses {
    /// The weights of a node's morph targets, if a track tells them.
    pub(crate) fn weights(&self, node: u32) -> Option<&[f32]> {
        self.weights.get(&node).map(Vec::as_slice)
    }
}

impl Rig {
    /// The nodes of a file with their tracks. A property that two tracks move is moved by the first.
    pub(crate) fn new(rest: Vec<Rest>, tracks: Vec<Track>, skins: Vec<Skin>) -> Self {
        let (mut led, mut weighed) = (vec![false; rest.len()], vec![false; rest.len()]);
        for track in &tracks {
            let which = match track.property {
                Property::Weights => &mut weighed,
                _ => &mut led,
            };
            if let Some(is) = which.get_mut(track.node as usize) {
                *is = true;
            }
        }
        Self {
            of_node: vec![NONE; rest.len()],
            rest,
            tracks,
            led,
            weighed,
            entries: Vec::new(),
            worlds: Vec::new(),
            skins,
        }
    }

    /// Places a node on an entry, or on the scene's own ground, and gives its entry.
    pub(crate) fn stand(&mut self, node: u32, parent: Option<u32>) -> u32 {
        let local = self.rest[node as usize].matrix();
        let (world, carried) = parent.map_or((local, false), |p| {
            let on = p as usize;
            (self.worlds[on] * local, self.entries[on].moves)
        });
        self.entries.push(Entry {
            node,
            parent: parent.unwrap_or(NONE),
            moves: carried || self.led[node as usize],
        });
        self.worlds.push(world);
        let entry = self.entries.len() as u32 - 1;
        self.of_node[node as usize] = entry;
        entry
    }

    /// Number of placed nodes.
    pub(crate) fn placed(&self) -> usize {
        self.entries.len()
    }

    /// What an entry stands on.
    pub(crate) fn parent(&self, entry: u32) -> Option<u32> {
        Some(self.entries[entry as usize].parent).filter(|p| *p != NONE)
    }

    /// The node of an entry.
    pub(crate) fn node(&self, entry: u32) -> u32 {
        self.entries[entry as usize].node
    }

    /// The entry of a node, if it is placed.
    pub(crate) fn entry(&self, node: u32) -> Option<u32> {
        self.of_node
            .get(node as usize)
            .copied()
            .filter(|e| *e != NONE)
    }

    /// Whether an entry ever stands elsewhere than at rest.
    pub(crate) fn moves(&self, entry: u32) -> bool {
        self.entries[entry as usize].moves
    }

    /// Whether a node's morph targets have a track.
    pub(crate) fn is_weighed(&self, node: u32) -> bool {
        self.weighed[node as usize]
    }

    /// Whether any joint of a skin moves.
    pub(crate) fn skin_moves(&self, skin: usize) -> bool {
        let joints = &self.skins[skin].joints;
        (joints.iter().filter_map(|j| self.entry(*j))).any(|e| self.moves(e))
    }

    /// The entry with a track of its own that carries a moving one stiffly: itself or the nearest that it stands on.
    pub(crate) fn driver(&self, entry: u32) -> u32 {
        let mut at = entry;
        loop {
            let e = &self.entries[at as usize];
            if e.parent == NONE || self.led[e.node as usize] {
                return at;
            }
            at = e.parent;
        }
    }

    /// Where an entry stands at rest.
    pub(crate) fn at_rest(&self, entry: u32) -> DMat4 {
        self.worlds[entry as usize]
    }

    /// Where an entry stands within another that carries it stiffly.
    pub(crate) fn within(&self, entry: u32, driver: u32) -> DMat4 {
        let mut place = DMat4::IDENTITY;
        let mut at = entry;
        while at != driver && at != NONE {
            let e = &self.entries[at as usize];
            place = self.rest[e.node as usize].matrix() * place;
            at = e.parent;
        }
        place
    }

    /// All nodes with tracks at a time in seconds. Before its first key and after its last a track holds still.
    pub(crate) fn poses(&self, time_s: f64) -> Poses {
        let time = time_s as f32;
        let mut parts: HashMap<u32, (DVec3, DQuat, DVec3)> = HashMap::new();
        let mut weights = HashMap::new();
        for track in &self.tracks {
            let value = track.at(time);
            let part = || self.rest[track.node as usize].parts();
            match (track.property, &value[..]) {
                (Property::Weights, _) => {
                    weights.insert(track.node, value);
                }
                (Property::Rotation, &[x, y, z, w]) => {
                    let turn = DQuat::from_array([x, y, z, w].map(f64::from));
                    // A turn of no length is none.
                    let turn = match turn.length_squared() > 0.0 {
                        true => turn.normalize(),
                        false => DQuat::IDENTITY,
                    };
                    parts.entry(track.node).or_insert_with(part).1 = turn;
                }
                (property, &[x, y, z]) => {
                    let v = DVec3::from([x, y, z].map(f64::from));
                    let (t, _, s) = parts.entry(track.node).or_insert_with(part);
                    if property == Property::Scale {
                        *s = v;
                    } else {
                        *t = v;
                    }
                }
                _ => {}
            }
        }
        Poses {
            locals: (parts.into_iter())
                .map(|(n, (t, r, s))| (n, placed(t, r, s)))
                .collect(),
            weights,
            worlds: Default::default(),
        }
    }

    /// All nodes at rest.
    pub(crate) fn poses_at_rest(&self) -> Poses {
        Poses {
            locals: HashMap::new(),
            weights: HashMap::new(),
            worlds: Default::default(),
        }
    }

    /// Where an entry stands at a moment.
    pub(crate) fn world(&self, entry: u32, poses: &Poses) -> DMat4 {
        if !self.moves(entry) {
            return self.at_rest(entry);
        }
        if let Some(known) = poses.worlds.borrow().get(&entry) {
            return *known;
        }
        let e = &self.entries[entry as usize];
        let local = (poses.locals.get(&e.node).copied())
            .unwrap_or_else(|| self.rest[e.node as usize].matrix());
        let world = if e.parent == NONE {
            local
        } else {
            self.world(e.parent, poses) * local
        };
        poses.worlds.borrow_mut().insert(entry, world);
        world
    }

    /// Where each joint of a skin moves a corner; `frame` leads from the file's frame to where things are traced.
    pub(crate) fn joints(&self, skin: usize, poses: &Poses, frame: &DMat4) -> Vec<Mat4> {
        let skin = &self.skins[skin];
        (skin.joints.iter().enumerate())
            .map(|(i, joint)| {
                let at = (self.entry(*joint)).map_or(DMat4::IDENTITY, |e| self.world(e, poses));
                let inverse = skin.inverse.get(i).copied().unwrap_or(Mat4::IDENTITY);
                (*frame * at * inverse.as_dmat4()).as_mat4()
            })
            .collect()
    }
}

impl Track {
    /// The value at a time (glTF 2.0, appendix C).
    fn at(&self, time: f32) -> Vec<f32> {
        let (times, width) = (&self.times, self.width);
        let cubic = self.between == Between::Cubic;
        // Of a cubic key: 0 the tangent coming in, 1 the value, 2 the tangent going out.
        let key = |i: usize, part: usize| {
            let at = if cubic { 3 * i + part } else { i };
            &self.values[at * width..][..width]
        };
        let last = times.len() - 1;
        let after = times.partition_point(|&t| t <= time);
        if after == 0 {
            return key(0, 1).to_vec();
        }
        let i = after - 1;
        if i == last || self.between == Between::Step {
            return key(i, 1).to_vec();
        }
        let length = times[i + 1] - times[i];
        let t = (time - times[i]) / length;
        match self.between {
            Between::Cubic => {
                let (t2, t3) = (t * t, t * t * t);
                (0..width)
                    .map(|c| {
                        (2.0 * t3 - 3.0 * t2 + 1.0) * key(i, 1)[c]
                            + length * (t3 - 2.0 * t2 + t) * key(i, 2)[c]
                            + (3.0 * t2 - 2.0 * t3) * key(i + 1, 1)[c]
                            + length * (t3 - t2) * key(i + 1, 0)[c]
                    })
                    .collect()
            }
            _ if self.property == Property::Rotation => {
                let (a, b) = (Quat::from_slice(key(i, 1)), Quat::from_slice(key(i + 1, 1)));
                // The short way round.
                let b = if a.dot(b) < 0.0 { -b } else { b };
                a.slerp(b, t).to_array().to_vec()
            }
            _ => (0..width)
                .map(|c| key(i, 1)[c] + (key(i + 1, 1)[c] - key(i, 1)[c]) * t)
                .collect(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A quarter turn as files write it, to eight digits, keeps walls along the axes.
    #[test]
    fn quarter_turns_are_quarter_turns() {
        let half = f64::from(std::f32::consts::FRAC_1_SQRT_2);
        let rest = Rest::Parts {
            translation: DVec3::new(500_000.25, 0.0, -3.0),
            rotation: DQuat::from_xyzw(0.0, half, 0.0, half).normalize(),
            scale: DVec3::new(2.0, 3.0, 4.0),
        };
        let m = rest.matrix();
        let point = m.transform_point3(DVec3::new(0.0, 1.0, 1.0));
        assert_eq!((point.y, point.z), (3.0, -3.0), "{m}");
        assert!((point.x - 500_004.25).abs() < 1e-6, "{point}");
        // A true small turn, of a hundredth of a degree, stays.
        let small = Rest::Matrix(DMat4::from_rotation_y(0.01f64.to_radians()));
        assert!(small.matrix().x_axis.z < -1e-4);
    }
}
