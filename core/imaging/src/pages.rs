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
    let bytes = capacity * size_of::<T>();
    if bytes < WORTH || !cfg!(target_os = "linux") {
        return array;
    }
    #[cfg(target_os = "linux")]
    {
        const PAGE: usize = 4096;
        let start = array.as_mut_ptr().cast::<u8>();
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
    array
}

/// The same values in such memory.
pub fn on_large_pages<T: Copy>(values: Vec<T>) -> Vec<T> {
    if std::mem::size_of_val(&values[..]) < WORTH {
        return values;
    }
    let mut moved = with_large_pages(values.len());
    moved.extend_from_slice(&values);
    moved
}

/// So many equal values in such memory.
pub fn filled<T: Copy>(value: T, count: usize) -> Vec<T> {
    let mut array = with_large_pages(count);
    array.resize(count, value);
    array
}
