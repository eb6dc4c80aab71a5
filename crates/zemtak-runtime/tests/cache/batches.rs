//! Batches against the plainest way to draw: one quad after the other, in the order that is asked for.

use proptest::prelude::*;
use zemtak_runtime::coords::{QUADS_A_DRAW, Quad, VERTEX_BYTES};
use zemtak_runtime::{Batch, BatchOrder, INSTANCE_BYTES, Look, Texture};

/// A sprite to draw: a parallelogram on the screen, mirrored or not, and one on a texture.
#[derive(Debug, Clone, Copy)]
struct Drawn {
    texture: u64,
    layer: i32,
    quad: Quad,
    tint: [u8; 4],
}

fn quads() -> impl Strategy<Value = Drawn> {
    let small = || -40i16..40;
    let place = (small(), small(), small(), small(), small(), small());
    (0u64..4, -1i32..2, place, any::<bool>(), any::<[u8; 4]>()).prop_map(
        |(texture, layer, (x, y, a, b, c, d), mirrored, tint)| {
            let at = |s: i16, t: i16| [f32::from(x + s * a + t * c), f32::from(y + s * b + t * d)];
            let uv = |s: i16, t: i16| [f32::from(s + x) / 64.0, f32::from(t + y) / 32.0];
            let quad = Quad {
                positions: [at(0, 0), at(1, 0), at(1, 1), at(0, 1)],
                uv: [uv(0, 0), uv(1, 0), uv(1, 1), uv(0, 1)],
                indices: if mirrored { [0, 3, 2, 0, 2, 1] } else { [0, 1, 2, 0, 2, 3] },
            };
            Drawn { texture, layer, quad, tint }
        },
    )
}

/// A triangle as a graphics card sees it: texture, three corners with what is drawn there.
type Triangle = (u64, [([f32; 2], [f32; 2], [u8; 4]); 3]);

/// The plainest way: sorted stably, each by its own indices.
fn plainly(mut all: Vec<Drawn>, order: BatchOrder, screen: Option<[f32; 4]>) -> Vec<Triangle> {
    all.sort_by_key(|d| (d.layer, if order == BatchOrder::ByTexture { d.texture } else { 0 }));
    let seen = |d: &Drawn| {
        screen.is_none_or(|[l, t, r, b]| {
            let (xs, ys) = (d.quad.positions.map(|p| p[0]), d.quad.positions.map(|p| p[1]));
            let (least, most) = (
                |v: [f32; 4]| v.into_iter().fold(f32::MAX, f32::min),
                |v: [f32; 4]| v.into_iter().fold(f32::MIN, f32::max),
            );
            most(xs) > l && least(xs) < r && most(ys) > t && least(ys) < b
        })
    };
    let of = |d: &Drawn| {
        let corner = |i: u8| (d.quad.positions[i as usize], d.quad.uv[i as usize], d.tint);
        let [a, b, c, e, f, g] = d.quad.indices.map(corner);
        [(d.texture, [a, b, c]), (d.texture, [e, f, g])]
    };
    all.iter().filter(|d| seen(d)).flat_map(of).collect()
}

fn number(bytes: &[u8]) -> f32 {
    f32::from_le_bytes(bytes.try_into().unwrap())
}

/// What a card makes of the buffers.
fn by_card(batch: &Batch) -> Vec<Triangle> {
    let indices = Batch::indices(QUADS_A_DRAW);
    let vertex = |at: usize| {
        let bytes = &batch.vertices()[at * VERTEX_BYTES..][..VERTEX_BYTES];
        let numbers = [0, 4, 8, 12].map(|i| number(&bytes[i..i + 4]));
        ([numbers[0], numbers[1]], [numbers[2], numbers[3]], bytes[16..].try_into().unwrap())
    };
    let draw = |draw: &zemtak_runtime::BatchDraw| {
        let (base, texture) = (draw.first * 4, draw.texture.0);
        let triangles = indices[..draw.quads * 6].chunks(3);
        triangles.map(|three| (texture, [0, 1, 2].map(|i| vertex(base + usize::from(three[i]))))).collect::<Vec<_>>()
    };
    batch.draws().iter().flat_map(draw).collect()
}

/// Triangles of one quad may begin at another corner and come the other way round.
fn sorted(triangles: &[Triangle]) -> Vec<(u64, Vec<String>)> {
    let pairs = triangles.chunks(2).map(|two| {
        let mut both: Vec<String> = two
            .iter()
            .map(|(_, corners)| {
                let first = (0..3).min_by_key(|i| format!("{:?}", corners[*i])).unwrap();
                format!("{:?}", [0, 1, 2].map(|i| corners[(first + i) % 3]))
            })
            .collect();
        both.sort();
        (two[0].0, both)
    });
    pairs.collect()
}

proptest! {
    #[test]
    fn a_batch_draws_what_single_quads_draw(
        all in prop::collection::vec(quads(), 0..40), by_texture: bool, half in 0..40_usize, screen in prop::option::of([-50f32..50.0, -50f32..50.0, -50f32..50.0, -50f32..50.0]),
    ) {
        let order = if by_texture { BatchOrder::ByTexture } else { BatchOrder::AsAdded };
        let screen = screen.map(|[a, b, c, d]| [a.min(c), b.min(d), a.max(c), b.max(d)]);
        let mut batch = Batch::new();
        batch.set_screen(screen);
        // What was there before changes nothing.
        all.iter().rev().for_each(|d| batch.add_quad(Texture(9), d.quad, Look::default()));
        batch.lay_out(order);
        batch.clear();
        // Nor does it that some were laid out before the others came.
        for (at, d) in all.iter().enumerate() {
            if at == half {
                batch.lay_out(order);
            }
            batch.add_quad(Texture(d.texture), d.quad, Look { layer: d.layer, tint: d.tint });
        }
        batch.lay_out(order);
        let expected = plainly(all.clone(), order, screen);
        prop_assert_eq!(batch.len() + batch.culled(), all.len());
        prop_assert_eq!(sorted(&by_card(&batch)), sorted(&expected));
        // No two draws in a row have one texture.
        prop_assert!(batch.draws().windows(2).all(|two| two[0].texture != two[1].texture));
        batch.lay_out_instances(order);
        let mut in_order: Vec<Drawn> = all;
        in_order.sort_by_key(|d| (d.layer, if by_texture { d.texture } else { 0 }));
        let mut quads = in_order.iter();
        for instance in batch.instances().chunks(INSTANCE_BYTES) {
            let numbers: Vec<f32> = instance[..48].chunks(4).map(number).collect();
            let corner = |of: &[f32], [s, t]: [f32; 2]| [of[0] + of[2] * s + of[4] * t, of[1] + of[3] * s + of[5] * t];
            let corners = [[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]];
            let (positions, uv) = (corners.map(|c| corner(&numbers[..6], c)), corners.map(|c| corner(&numbers[6..], c)));
            // Those that lie outside are skipped.
            let same = |d: &&Drawn| (d.quad.positions, d.quad.uv, &d.tint[..]) == (positions, uv, &instance[48..]);
            prop_assert!(quads.find(same).is_some(), "{positions:?}");
        }
        prop_assert_eq!(batch.instances().len(), batch.len() * INSTANCE_BYTES);
    }
}

/// More quads than 16-bit indices count are several draws; a frame like the one before takes no memory.
#[test]
fn a_large_batch_is_parted_and_takes_no_memory_twice() {
    let quad = Quad { positions: [[0.0; 2]; 4], uv: [[0.0; 2]; 4], indices: [0, 1, 2, 0, 2, 3] };
    let mut batch = Batch::new();
    let mut frame = || {
        batch.clear();
        (0..40_000)
            .for_each(|i| batch.add_quad(Texture(i % 2), quad, Look { layer: (i % 3) as i32, ..Look::default() }));
        batch.lay_out(BatchOrder::ByTexture);
        batch.lay_out_instances(BatchOrder::AsAdded);
        batch.lay_out(BatchOrder::ByTexture);
        batch.draws().iter().map(|draw| draw.quads).sum::<usize>()
    };
    assert_eq!(frame(), 40_000);
    let taken = allocation_counter::measure(|| assert_eq!(frame(), 40_000));
    assert_eq!(taken.count_total, 0, "{taken:?}");
    batch.clear();
    (0..40_000).for_each(|_| batch.add_quad(Texture(1), quad, Look::default()));
    batch.lay_out(BatchOrder::AsAdded);
    let draws: Vec<(usize, usize)> = batch.draws().iter().map(|draw| (draw.first, draw.quads)).collect();
    assert_eq!(draws, [(0, 16_384), (16_384, 16_384), (32_768, 7_232)]);
    assert_eq!(Batch::indices(usize::MAX).last(), Some(&65_535));
    assert_eq!(Batch::indices_u32(20_000).len(), 120_000);
}
