//! Types that the reference of the profile format is made from, where that is made.

/// Of a type with a schema.
#[cfg(feature = "reference")]
pub(crate) trait Described: schemars::JsonSchema {}
#[cfg(feature = "reference")]
impl<T: schemars::JsonSchema> Described for T {}

/// Any type.
#[cfg(not(feature = "reference"))]
pub(crate) trait Described {}
#[cfg(not(feature = "reference"))]
impl<T> Described for T {}
