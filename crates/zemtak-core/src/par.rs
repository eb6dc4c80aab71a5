//! Work spread over all cores where the `parallel` feature is on; the results come in order either way.

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
