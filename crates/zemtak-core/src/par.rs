//! Work spread over all cores with the `parallel` feature; the results come in order either way.

/// `f(0), f(1), … f(count - 1)`.
#[cfg(feature = "parallel")]
pub(crate) fn map_range<T: Send>(count: usize, f: impl Fn(usize) -> T + Sync + Send) -> Vec<T> {
    use rayon::prelude::*;
    (0..count).into_par_iter().map(f).collect()
}

/// `f(0), f(1), … f(count - 1)`.
#[cfg(not(feature = "parallel"))]
pub(crate) fn map_range<T>(count: usize, f: impl Fn(usize) -> T) -> Vec<T> {
    (0..count).map(f).collect()
}

/// `f(0, first chunk), f(1, second chunk) …`, each chunk of `length` bytes except the last.
#[cfg(feature = "parallel")]
pub(crate) fn each_chunk(bytes: &mut [u8], length: usize, f: impl Fn(usize, &mut [u8]) + Sync + Send) {
    use rayon::prelude::*;
    bytes.par_chunks_mut(length.max(1)).enumerate().for_each(|(i, chunk)| f(i, chunk));
}

/// `f(0, first chunk), f(1, second chunk) …`, each chunk of `length` bytes except the last.
#[cfg(not(feature = "parallel"))]
pub(crate) fn each_chunk(bytes: &mut [u8], length: usize, f: impl Fn(usize, &mut [u8])) {
    bytes.chunks_mut(length.max(1)).enumerate().for_each(|(i, chunk)| f(i, chunk));
}
