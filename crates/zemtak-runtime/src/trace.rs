//! Spans for a profiler, with the feature `tracing`; nothing without it.

/// Ends a span when it is dropped.
#[cfg(feature = "tracing")]
pub(crate) type Span = tracing::span::EnteredSpan;
/// Nothing.
#[cfg(not(feature = "tracing"))]
#[derive(Debug)]
pub(crate) struct Span;

/// Functions that begin a span of their name, some of them about a file or a name.
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
    /// A pump, from its beginning to its end.
    pump(),
    /// A descriptor or a loose image is read.
    open(what),
    /// A page with its layers is read and decoded.
    decode(what),
    /// A texture is made, or a strip of it.
    make(what),
    /// Files are listed for a glob.
    list(what),
    /// Files are looked at for changes.
    look(),
}
