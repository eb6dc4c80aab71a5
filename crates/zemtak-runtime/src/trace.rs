//! Spans for a profiler, with the feature `tracing`; nothing without it.

/// Ends a span when it is dropped.
#[cfg(feature = "tracing")]
pub(crate) type Span = tracing::span::EnteredSpan;
/// Nothing.
#[cfg(not(feature = "tracing"))]
#[derive(Debug)]
pub(crate) struct Span;

/// Functions that begin a span of the same name, some of them with a file or a name.
macro_rules! spans {
    ($($(#[$doc:meta])* $name:ident($($what:ident)?),)*) => {$(
        $(#[$doc])*
        pub(crate) fn $name($($what: &str)?) -> Span {
            #[cfg(feature = "tracing")]
            return tracing::debug_span!(target: "zemtak", stringify!($name) $(, $what)?).entered();
            #[cfg(not(feature = "tracing"))]
            {
                $(let _ = $what;)?
                Span
            }
        }
    )*};
}

spans! {
    /// A pump, from beginning to end.
    pump(),
    /// Reading a descriptor or a loose image.
    open(what),
    /// Reading and decoding a page with its layers.
    decode(what),
    /// Making a texture, or a strip of one.
    make(what),
    /// Listing files for a glob.
    list(what),
    /// Checking files for changes.
    look(),
}
