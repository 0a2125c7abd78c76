//! Large arrays on large pages: rays jump about in them, and with pages of 4 kB most jumps would first have
//! to look up where the page is.
//!
//! The only `unsafe` call here gives the kernel a hint about memory that is ours.
#![allow(unsafe_code)]

/// Arrays below this are not worth it, bytes.
const WORTH: usize = 4 << 20;

/// The same values in memory that the kernel is asked to back with large pages, where it can.
pub(crate) fn on_large_pages<T: Copy>(values: Vec<T>) -> Vec<T> {
    let bytes = std::mem::size_of_val(&values[..]);
    if bytes < WORTH || !cfg!(target_os = "linux") {
        return values;
    }
    let mut moved: Vec<T> = Vec::with_capacity(values.len());
    #[cfg(target_os = "linux")]
    {
        const PAGE: usize = 4096;
        let start = moved.as_mut_ptr().cast::<u8>();
        let skip = start.align_offset(PAGE);
        if skip < bytes {
            // SAFETY: the range lies within the new array's own memory; the hint changes none of it. A
            // refusal only means that pages stay small.
            let _ = unsafe {
                rustix::mm::madvise(
                    start.add(skip).cast(),
                    (bytes - skip) / PAGE * PAGE,
                    rustix::mm::Advice::LinuxHugepage,
                )
            };
        }
    }
    moved.extend_from_slice(&values);
    moved
}
