//! The sinks that come with the runtime: what they count and refuse.

use std::sync::Arc;
use zemtak_core::atlas::{Alpha, PixelKind};
use zemtak_core::mips::{Light, smaller_levels};
use zemtak_runtime::coords::QUADS_A_DRAW;
use zemtak_runtime::geometry::Size;
use zemtak_runtime::{
    DeviceFault, Level, MemorySink, NewTexture, Pixels, Sampler, SimulatedDevice, Sink, SinkError, Texture, Work,
};

/// Makes a texture of a size, with mip levels.
fn make(sink: &mut impl Sink, w: u32, h: u32, mips: u32) -> Result<Texture, SinkError> {
    let pixels = Pixels::transparent(Size::new(w, h)).unwrap();
    let smaller = smaller_levels(&pixels, mips - 1, Alpha::Straight, Light::Linear);
    let levels: Arc<[Level]> = std::iter::once(pixels).chain(smaller).map(Level::from).collect();
    let (kind, sampler) = (PixelKind::Rgba8, Sampler::default());
    sink.make_texture(&NewTexture { label: "test", layer: None, kind, levels: &levels, sampler, alike: 1 })
}

#[test]
fn a_device_has_as_much_memory_as_it_was_given() {
    let mut device = SimulatedDevice::new().with_memory(3 * 64 * 4);
    let first = make(&mut device, 8, 8, 1).unwrap();
    let second = make(&mut device, 16, 8, 1).unwrap();
    assert_eq!((device.used(), device.take_peak()), (768, 768));
    assert!(matches!(make(&mut device, 1, 1, 1), Err(SinkError::OutOfMemory)));
    device.drop_texture(second);
    assert_eq!((device.used(), device.take_peak()), (256, 768));
    // 8 x 8, 4 x 4, 2 x 2 and 1 x 1 pixels.
    make(&mut device, 8, 8, 4).unwrap();
    assert_eq!((device.used(), device.take_peak()), (256 + 340, 256 + 340));
    device.drop_texture(first);
    device.drop_texture(first);
    let work = Work { made: 3, dropped: 2, misuses: 1, refused: 1, ..Work::default() };
    assert_eq!(device.work(), work);
}

#[test]
fn a_device_refuses_what_is_too_large_and_fails_on_command() {
    let mut device = SimulatedDevice::new().with_largest_side(16);
    assert_eq!(device.largest_side(), 16);
    assert!(make(&mut device, 16, 16, 1).is_ok());
    for (w, h) in [(17, 1), (1, 17)] {
        let refused = make(&mut device, w, h, 1).unwrap_err();
        assert!(matches!(refused, SinkError::TooLarge { size, limit: 16 } if size == Size::new(w, h)));
    }
    device.fail_next(DeviceFault::OutOfMemory, 2);
    assert!(matches!(make(&mut device, 1, 1, 1), Err(SinkError::OutOfMemory)));
    assert!(matches!(make(&mut device, 1, 1, 1), Err(SinkError::OutOfMemory)));
    device.fail_next(DeviceFault::Lost, 1);
    assert!(matches!(make(&mut device, 1, 1, 1), Err(SinkError::Other(_))));
    assert!(make(&mut device, 1, 1, 1).is_ok());
    assert_eq!((device.work().made, device.work().refused), (2, 5));
}

#[test]
fn a_device_counts_binds_and_batches() {
    let mut device = SimulatedDevice::new();
    let (a, b) = (make(&mut device, 1, 1, 1).unwrap(), make(&mut device, 1, 1, 1).unwrap());
    (0..QUADS_A_DRAW).for_each(|_| device.draw(a));
    assert_eq!((device.work().draws, device.work().binds, device.work().batches), (QUADS_A_DRAW as u64, 1, 1));
    // One more is a batch of its own, though nothing else was bound.
    device.draw(a);
    assert_eq!((device.work().binds, device.work().batches), (1, 2));
    [b, a, a].into_iter().for_each(|texture| device.draw(texture));
    assert_eq!((device.work().binds, device.work().batches), (3, 4));
    device.begin_frame();
    device.draw(a);
    assert_eq!((device.work().binds, device.work().batches), (4, 5));
    device.drop_texture(a);
    device.draw(a);
    assert_eq!((device.work().misuses, device.work().draws), (1, QUADS_A_DRAW as u64 + 6));
}

#[test]
fn textures_in_memory_are_there_until_they_are_dropped() {
    let mut sink = MemorySink::new();
    assert!(sink.is_empty());
    let [first, second] = [(2, 1), (3, 1)].map(|(w, h)| make(&mut sink, w, h, 1).unwrap());
    assert_eq!((sink.len(), sink.is_empty()), (2, false));
    assert_eq!(sink.levels(second).unwrap()[0].size, Size::new(3, 1));
    sink.drop_texture(first);
    assert!(sink.levels(first).is_none() && sink.len() == 1);
}
