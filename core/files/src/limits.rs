//! How large a thing from outside may be: one home for all readers. What memory allows is told by the budget.

/// Largest side of a picture that is read, pixels.
pub const MAX_SIDE: u32 = 131_072;
/// Largest side of a texture, pixels: textures are held whole.
pub const MAX_TEXTURE_SIDE: u32 = 16_384;
/// Largest block of a picture after unpacking, bytes.
pub const MAX_BLOCK: usize = 1 << 30;
/// Largest file that is taken from outside, bytes.
pub const MAX_FILE: u64 = 4 << 30;
/// Largest measured distribution of a lamp, bytes: some hundred times what they are.
pub const MAX_DISTRIBUTION: u64 = 16 << 20;
