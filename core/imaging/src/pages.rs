//! Large arrays on large pages: rays and filters jump about in them, and with pages of 4 kB most jumps would first have
//! to look up where the page is.
//!
//! The only `unsafe` call here gives the kernel a hint about memory that is ours.
#![allow(unsafe_code)]

/// Arrays below this are not worth it, bytes.
const WORTH: usize = 4 << 20;

/// An empty array with room for so many values, in memory that the kernel is asked to back with large pages,
/// where it can.
pub fn with_large_pages<T: Copy>(capacity: usize) -> Vec<T> {
    let mut array: Vec<T> = Vec::with_capacity(capacity);
    advise(array.as_mut_ptr().cast(), capacity * size_of::<T>());
    array
}

/// Asks the kernel for large pages under memory that is ours.
fn advise(start: *mut u8, bytes: usize) {
    if bytes < WORTH || !cfg!(target_os = "linux") {
        return;
    }
    #[cfg(target_os = "linux")]
    {
        const PAGE: usize = 4096;
        let skip = start.align_offset(PAGE);
        if skip < bytes {
            // SAFETY: the range lies within an array's own memory; the hint changes none of it. A refusal only
            // means that pages stay small.
            let _ = unsafe {
                rustix::mm::madvise(
                    start.add(skip).cast(),
                    (bytes - skip) / PAGE * PAGE,
                    rustix::mm::Advice::LinuxHugepage,
                )
            };
        }
    }
}

/// So many zeros in such memory; the kernel gives them when they are first touched.
pub fn zeros<T: Copy + Default>(count: usize) -> Vec<T> {
    // For zeros the standard library asks for fresh pages and writes nothing.
    let mut array = vec![T::default(); count];
    advise(array.as_mut_ptr().cast(), count * size_of::<T>());
    array
}
