//! The open denoising library (Open Image Denoise 2, Apache-2.0) where it is found at run time.
//!
//! The only place of this crate with `unsafe` code: calls through the library's published C interface
//! (oidn.h of version 2, from memory).
#![allow(unsafe_code)]

use super::{Band, DenoiseFailed, Filter};
use crate::strip::CHANNELS;
use libloading::{Library, Symbol};
use std::ffi::{c_char, c_void};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Rows that are filtered at a time, and of wide pictures, so that memory stays bounded.
const BAND: u32 = 512;
const WIDE_BAND: u32 = 256;
/// Width beyond which a picture is wide.
const WIDE: u32 = 8192;
/// Most rows and columns beyond the band that the filter sees: what lies farther has no visible influence.
const MARGIN: u32 = 96;

/// Rows that are in memory at a time at most for a picture of some width: of a band, and with its margins and the strip that
/// reaches beyond.
pub fn most_rows(width: u32) -> (u32, u32) {
    let band = if width > WIDE { WIDE_BAND } else { BAND };
    (band, band + 2 * MARGIN + 16)
}

/// `OIDN_FORMAT_FLOAT3`.
const FLOAT3: i32 = 3;

type Handle = *mut c_void;

/// The library, loaded.
pub struct DenoiseLibrary {
    library: Library,
    device: Handle,
}

// SAFETY: by the library's documentation its functions may be called from any thread at any time; calls
// for one device wait for each other.
unsafe impl Send for DenoiseLibrary {}
// SAFETY: as above.
unsafe impl Sync for DenoiseLibrary {}

impl DenoiseLibrary {
    /// Loads the library from a place: its file, or a folder with its file. `None` where it is not, or does not work.
    pub fn find(place: &Path) -> Option<Self> {
        if place.is_dir() {
            libraries_in(place).iter().find_map(|path| Self::load(path))
        } else {
            Self::load(place)
        }
    }

    fn load(path: &Path) -> Option<Self> {
        // SAFETY: the library's own start-up code runs; it is the one the user installed for this. The
        // functions have the types of the published header.
        unsafe {
            let library = Library::new(path).ok()?;
            let device = {
                let new: Symbol<unsafe extern "C" fn(i32) -> Handle> =
                    library.get(b"oidnNewDevice").ok()?;
                let commit: Symbol<unsafe extern "C" fn(Handle)> =
                    library.get(b"oidnCommitDevice").ok()?;
                let device = new(1); // OIDN_DEVICE_TYPE_CPU
                if device.is_null() {
                    return None;
                }
                commit(device);
                device
            };
            let found = Self { library, device };
            found.works().then_some(found)
        }
    }

    /// Whether no error is pending.
    fn works(&self) -> bool {
        // SAFETY: as in `load`; the message belongs to the library and is not kept.
        unsafe {
            let Ok(error) = self
                .library
                .get::<unsafe extern "C" fn(Handle, *mut *const c_char) -> i32>(
                    b"oidnGetDeviceError",
                )
            else {
                return false;
            };
            let mut message: *const c_char = std::ptr::null();
            error(self.device, &raw mut message) == 0
        }
    }

    /// Filters a picture in place; all three have `width` x `height` pixels of three values. It ends as a failure soon after
    /// `go_on` says no.
    fn filter<F: Fn() -> bool + Sync>(
        &self,
        go_on: &F,
        (width, height): (usize, usize),
        colour: &[f32],
        albedo: &[f32],
        normal: &[f32],
        out: &mut [f32],
    ) -> Option<()> {
        let wanted = width * height * CHANNELS;
        if [colour.len(), albedo.len(), normal.len(), out.len()] != [wanted; 4] {
            return None;
        }
        // SAFETY: the buffers have the sizes that are told, live until the filter is released, and only
        // `out` is written to.
        unsafe {
            type Image = unsafe extern "C" fn(
                Handle,
                *const c_char,
                *const c_void,
                i32,
                usize,
                usize,
                usize,
                usize,
                usize,
            );
            let l = &self.library;
            let new: Symbol<unsafe extern "C" fn(Handle, *const c_char) -> Handle> =
                l.get(b"oidnNewFilter").ok()?;
            let image: Symbol<Image> = l.get(b"oidnSetSharedFilterImage").ok()?;
            let set_bool: Symbol<unsafe extern "C" fn(Handle, *const c_char, bool)> =
                l.get(b"oidnSetFilterBool").ok()?;
            let set_float: Symbol<unsafe extern "C" fn(Handle, *const c_char, f32)> =
                l.get(b"oidnSetFilterFloat").ok()?;
            type Asked = unsafe extern "C" fn(*mut c_void, f64) -> bool;
            let watch: Symbol<unsafe extern "C" fn(Handle, Asked, *mut c_void)> =
                l.get(b"oidnSetFilterProgressMonitorFunction").ok()?;
            let commit: Symbol<unsafe extern "C" fn(Handle)> = l.get(b"oidnCommitFilter").ok()?;
            let execute: Symbol<unsafe extern "C" fn(Handle)> = l.get(b"oidnExecuteFilter").ok()?;
            let release: Symbol<unsafe extern "C" fn(Handle)> = l.get(b"oidnReleaseFilter").ok()?;
            let filter = new(self.device, c"RT".as_ptr());
            if filter.is_null() {
                return None;
            }
            let set = |name: *const c_char, data: *const f32| {
                image(filter, name, data.cast(), FLOAT3, width, height, 0, 0, 0);
            };
            set(c"color".as_ptr(), colour.as_ptr());
            set(c"albedo".as_ptr(), albedo.as_ptr());
            set(c"normal".as_ptr(), normal.as_ptr());
            set(c"output".as_ptr(), out.as_mut_ptr());
            set_bool(filter, c"hdr".as_ptr(), true);
            // The same for every band: exposure is fixed and never automatic.
            set_float(filter, c"inputScale".as_ptr(), 1.0);
            watch(
                filter,
                asked::<F>,
                std::ptr::from_ref(go_on).cast_mut().cast(),
            );
            commit(filter);
            execute(filter);
            release(filter);
        }
        self.works().then_some(())
    }
}

/// Whether a filter goes on; the library asks again and again, from whatever thread.
///
/// # Safety
/// `go_on` is the address of an `F` that lives for as long as the filter is executed.
unsafe extern "C" fn asked<F: Fn() -> bool + Sync>(go_on: *mut c_void, _share: f64) -> bool {
    // SAFETY: see above; it is only read.
    let go_on = unsafe { &*go_on.cast_const().cast::<F>() };
    go_on()
}

impl Drop for DenoiseLibrary {
    fn drop(&mut self) {
        // SAFETY: the device is released once, before the library is unloaded.
        unsafe {
            if let Ok(release) = self
                .library
                .get::<unsafe extern "C" fn(Handle)>(b"oidnReleaseDevice")
            {
                release(self.device);
            }
        }
    }
}

/// Files in a folder that may be the library.
fn libraries_in(folder: &Path) -> Vec<PathBuf> {
    let mut found: Vec<PathBuf> = std::fs::read_dir(folder)
        .into_iter()
        .flatten()
        .flatten()
        .map(|e| e.path())
        .filter(|p| {
            let name = p.file_name().unwrap_or_default().to_string_lossy();
            name.starts_with("libOpenImageDenoise.so")
        })
        .collect();
    found.sort();
    found
}

/// The library as a filter of strips. Once `go_on` says no it fails soon.
pub struct LibraryFilter<G> {
    /// The library.
    pub library: Arc<DenoiseLibrary>,
    /// Whether to go on; asked again and again, from whatever thread.
    pub go_on: G,
}

impl<G: Fn() -> bool + Sync> Filter for LibraryFilter<G> {
    fn band(&self, width: u32) -> u32 {
        most_rows(width).0
    }

    /// Small pictures need less, and come sooner.
    fn margin(&self, width: u32) -> u32 {
        (width / 8).clamp(16, MARGIN)
    }

    fn filter(&self, band: &Band, image: &[f32], _times: f32) -> Result<Vec<f32>, DenoiseFailed> {
        let mut out = vec![0.0; image.len()];
        let size = (band.width, band.rows);
        (self.library)
            .filter(
                &self.go_on,
                size,
                image,
                &band.albedo,
                &band.normal,
                &mut out,
            )
            .ok_or(DenoiseFailed)?;
        Ok(out)
    }
}
