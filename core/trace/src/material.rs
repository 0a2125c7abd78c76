//! Materials: glTF's metallic-roughness model with the extensions that are rendered.

use crate::texture::Texture;

/// How a material's alpha is meant.
#[derive(Clone, Copy, Debug, PartialEq, Default)]
pub enum Alpha {
    /// It is ignored.
    #[default]
    Opaque,
    /// There or not, by a limit.
    Mask(f32),
    /// Lets light straight through in part.
    Blend,
}

/// The colour that light takes on its way through a body (KHR_materials_volume).
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Volume {
    /// Colour of white light after [`Volume::distance`].
    pub colour: [f32; 3],
    /// That distance, metres; infinite for a clear body.
    pub distance: f32,
}

/// A clear lacquer over everything else (KHR_materials_clearcoat).
#[derive(Clone, Debug)]
pub struct Coat {
    /// How much of it is there, 0 to 1.
    pub weight: f32,
    /// Picture with the weight in red.
    pub weight_texture: Option<Texture>,
    /// 0 smooth to 1 rough.
    pub roughness: f32,
    /// Picture with the roughness in green.
    pub roughness_texture: Option<Texture>,
    /// Its own normals, with their scale.
    pub normal_texture: Option<(Texture, f32)>,
}

/// The soft shine of cloth (KHR_materials_sheen).
#[derive(Clone, Debug)]
pub struct Sheen {
    /// Its colour.
    pub colour: [f32; 3],
    /// Picture of the colour (sRGB).
    pub colour_texture: Option<Texture>,
    /// 0 narrow to 1 wide.
    pub roughness: f32,
    /// Picture with the roughness in alpha.
    pub roughness_texture: Option<Texture>,
}

/// A material as glTF 2.0 tells it.
#[derive(Clone, Debug)]
pub struct Material {
    /// Name.
    pub name: String,
    /// Base colour, scene-linear.
    pub base_colour: [f32; 3],
    /// Base colour picture (sRGB), its alpha linear.
    pub base_texture: Option<Texture>,
    /// Alpha beside the picture's and the vertices'.
    pub opacity: f32,
    /// Opacity picture of its own, in red (OBJ).
    pub opacity_texture: Option<Texture>,
    /// What alpha means.
    pub alpha: Alpha,
    /// 0 dielectric to 1 metal.
    pub metallic: f32,
    /// 0 smooth to 1 rough.
    pub roughness: f32,
    /// Picture with roughness in green and metallic in blue (linear).
    pub metallic_roughness_texture: Option<Texture>,
    /// Normal picture with its scale.
    pub normal_texture: Option<(Texture, f32)>,
    /// How strongly the dielectric part mirrors, 0 (none: a perfectly matt surface) to 1.
    pub specular: f32,
    /// Picture with that strength in alpha.
    pub specular_texture: Option<Texture>,
    /// Tint of the dielectric mirror at normal incidence.
    pub specular_colour: [f32; 3],
    /// Picture of the tint (sRGB).
    pub specular_colour_texture: Option<Texture>,
    /// Index of refraction of the dielectric part.
    pub ior: f32,
    /// Share of the light that goes through instead of being scattered.
    pub transmission: f32,
    /// Picture with that share in red.
    pub transmission_texture: Option<Texture>,
    /// The body behind the surface; without it the surface is a thin wall.
    pub volume: Option<Volume>,
    /// Lacquer.
    pub coat: Option<Coat>,
    /// Cloth.
    pub sheen: Option<Sheen>,
    /// Shown in its plain colour whatever the light.
    pub unlit: bool,
    /// Emitted radiance, scene-linear; both sides of a surface emit.
    pub emission: [f32; 3],
    /// Emission picture (sRGB).
    pub emission_texture: Option<Texture>,
}

impl Default for Material {
    /// A plain grey, rough surface.
    fn default() -> Self {
        Self {
            name: "grey".into(),
            base_colour: [0.5; 3],
            base_texture: None,
            opacity: 1.0,
            opacity_texture: None,
            alpha: Alpha::Opaque,
            metallic: 0.0,
            roughness: 1.0,
            metallic_roughness_texture: None,
            normal_texture: None,
            specular: 1.0,
            specular_texture: None,
            specular_colour: [1.0; 3],
            specular_colour_texture: None,
            ior: 1.5,
            transmission: 0.0,
            transmission_texture: None,
            volume: None,
            coat: None,
            sheen: None,
            unlit: false,
            emission: [0.0; 3],
            emission_texture: None,
        }
    }
}

impl Material {
    /// Whether it gives light.
    pub fn emits(&self) -> bool {
        self.emission.iter().any(|&e| e > 0.0)
    }

    /// Whether it is the surface of a body that light goes through and is bent by.
    pub fn is_body(&self) -> bool {
        self.transmission > 0.0 && self.volume.is_some()
    }

    /// Whether light can pass straight through it, as through a net or a window pane.
    pub fn lets_straight_through(&self) -> bool {
        self.alpha != Alpha::Opaque || (self.transmission > 0.0 && self.volume.is_none())
    }

    /// Whether it is glass or partly missing: what a clay render leaves as it is.
    pub fn is_see_through(&self) -> bool {
        self.alpha != Alpha::Opaque || self.transmission > 0.0
    }
}
