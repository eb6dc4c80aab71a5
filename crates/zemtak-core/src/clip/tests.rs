//! Playing compared with sampling, and both with plain fractions.

#![allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "small numbers")]

use super::*;
use crate::atlas::{Atlas, Clip, Mode, Rate, Sprite, Step};
use crate::geometry::{Rect, Size};
use crate::name::SpriteName;
use proptest::prelude::*;

fn modes() -> impl Strategy<Value = Mode> {
    prop_oneof![Just(Mode::Loop), Just(Mode::Once), Just(Mode::Bounce)]
}

fn rates() -> impl Strategy<Value = Ratio> {
    (1i32..70_000, 1u32..2_000).prop_map(|(num, den)| Ratio::new(num, den).unwrap())
}

fn speeds() -> impl Strategy<Value = Ratio> {
    prop_oneof![
        Just(Ratio::ONE),
        Just(Ratio::ZERO),
        (-40i32..40, 1u32..30).prop_map(|(n, d)| Ratio::new(n, d).unwrap())
    ]
}

/// Durations of steps: most by rate, some of their own, some of no length.
fn steps() -> impl Strategy<Value = Vec<Option<u64>>> {
    let step = prop_oneof![3 => Just(None), 2 => (1u64..400).prop_map(|ms| Some(ms * 1_000_000)), 1 => Just(Some(0))];
    prop::collection::vec(step, 1..9)
}

/// By walking turn by turn from the beginning, in fractions with one denominator: turn number and periods.
fn walked(mode: Mode, fps: Ratio, steps: &[Option<u64>], time: i64, speed: Ratio) -> (usize, i64) {
    // All in units of 1 / (num * den of the speed) nanoseconds.
    let unit = i128::from(speed.den());
    let frame = i128::from(fps.den()) * 1_000_000_000 * unit;
    let own = |ns: u64| i128::from(ns) * i128::from(fps.num()) * unit;
    let mut order: Vec<usize> = (0..steps.len()).collect();
    if mode == Mode::Bounce {
        order.extend((1..steps.len().max(2) - 1).rev());
    }
    let lengths: Vec<i128> = order.iter().map(|&i| steps[i].map_or(frame, own)).collect();
    let period: i128 = lengths.iter().sum();
    let mut at = i128::from(time) * i128::from(fps.num()) * i128::from(speed.num());
    let mut played = 0;
    if mode == Mode::Once {
        if at >= period {
            return (order[order.len() - 1], 1);
        }
        at = at.max(0);
    }
    while at < 0 {
        at += period;
        played -= 1;
    }
    while at >= period {
        at -= period;
        played += 1;
    }
    for (turn, length) in lengths.iter().enumerate() {
        if at < *length {
            return (order[turn], played);
        }
        at -= length;
    }
    unreachable!("within the period");
}

proptest! {
    #[test]
    fn sampling_is_what_walking_finds(
        mode in modes(), fps in rates(), steps in steps(), time in -20_000_000_000i64..20_000_000_000, speed in speeds(),
    ) {
        let Ok(timeline) = Timeline::new(mode, fps, &steps) else { return Ok(()) };
        let shown = timeline.at_speed(time, speed, 0);
        let (step, played) = walked(mode, fps, &steps, time, speed);
        // A clip that plays once comes to rest on steps of no length at its end.
        prop_assert_eq!((shown.step, shown.played), (step, played));
    }

    #[test]
    fn advancing_in_any_steps_agrees_with_sampling_and_skips_none(
        mode in modes(), fps in rates(), steps in steps(), speed in speeds(), start in 0i64..3_000_000_000,
        times in prop::collection::vec(prop_oneof![0i64..20_000_000, 0i64..5_000_000_000], 1..20),
    ) {
        let Ok(timeline) = Timeline::new(mode, fps, &steps) else { return Ok(()) };
        let mut player = Player::starting_at(speed, &timeline, start);
        let first = timeline.at_speed(0, speed, start);
        prop_assert_eq!(player.step(&timeline), first.step);
        let mut now = 0;
        let mut last = player.step(&timeline);
        let mut all = Vec::new();
        for time in times {
            now += time;
            let entered: Vec<usize> = player.advance(&timeline, time).collect();
            let shown = timeline.at_speed(now, speed, start);
            // If a clip that plays once ended before counting began, there is nothing left to play.
            if mode != Mode::Once || start < timeline.start_of(timeline.turns()) || speed.num() >= 0 {
                prop_assert_eq!(player.step(&timeline), shown.step);
                if mode != Mode::Once {
                    prop_assert_eq!(player.played(), shown.played - first.played);
                }
            }
            if let Some(entered) = entered.last() {
                prop_assert_eq!(*entered, player.step(&timeline));
            } else {
                prop_assert_eq!(last, player.step(&timeline));
            }
            last = player.step(&timeline);
            all.extend(entered);
        }
        // The same distance in one advance enters the same steps.
        let mut again = Player::starting_at(speed, &timeline, start);
        let entered = again.advance(&timeline, now);
        prop_assert_eq!(entered.count_left(), all.len() as u64);
        for skipped in (0..all.len() + 3).step_by(1 + all.len() / 40) {
            let rest = entered.turns().on(&timeline).after(skipped as u64).collect::<Vec<_>>();
            prop_assert_eq!(&rest[..], &all[skipped.min(all.len())..]);
        }
        prop_assert_eq!(entered.collect::<Vec<_>>(), all);
        prop_assert_eq!(again.step(&timeline), player.step(&timeline));
    }
}

#[test]
fn nothing_has_drifted_after_ten_hours() {
    for (text, frames) in [("10", 360_000), ("24", 864_000), ("59.94", 2_157_840), ("60000/1001", 2_157_842)] {
        let fps = Ratio::parse(text).unwrap();
        let timeline = Timeline::new(Mode::Loop, fps, &[None; 7]).unwrap();
        let hours = 36_000 * SECOND;
        let frame = (timeline.at(hours).played * 7) as usize + timeline.at(hours).step;
        assert_eq!(frame, frames, "{text}");
        // In frames of a game of 16 2/3 milliseconds, whose thirds are dropped: the time is what was passed, not what
        // was meant.
        let mut player = Player::new(Ratio::ONE);
        let mut entered = 0;
        (0..2_160_000).for_each(|_| entered += player.advance(&timeline, 16_666_667).count());
        assert_eq!(entered, timeline.at(2_160_000 * 16_666_667).played as usize * 7 + player.step(&timeline), "{text}");
    }
}

proptest! {
    /// A step is shown from the nanosecond on that is reported as its start, and not one earlier.
    #[test]
    fn a_step_is_shown_from_its_start_on(num in 1i32..200_000, den in 1u32..2000, steps in 1usize..9) {
        let timeline = Timeline::new(Mode::Loop, Ratio::new(num, den).unwrap(), &vec![None; steps]).unwrap();
        for turn in 1..steps {
            let start = timeline.start_of(turn);
            prop_assert_eq!((timeline.at(start - 1).step, timeline.at(start).step), (turn - 1, turn));
        }
    }
}

#[test]
fn a_timeline_says_how_long_its_turns_are() {
    let timeline = Timeline::new(Mode::Bounce, Ratio::new(24, 1).unwrap(), &[None, Some(15_000_000), None]).unwrap();
    assert_eq!((timeline.steps(), timeline.turns()), (3, 4));
    assert_eq!([0, 1, 2, 3].map(|turn| timeline.length_of(turn)), [[1, 24], [3, 200], [1, 24], [3, 200]]);
    let ticks = [0, 1, 2, 3, 4].map(|turn| timeline.ticks_of(turn));
    assert_eq!(ticks, [SECOND, 360_000_000, SECOND, 360_000_000, 0]);
    assert_eq!(timeline.start_of(4) * 24, ticks.iter().sum::<i64>() + 16, "rounded up to a nanosecond");
}

#[test]
fn modes_show_their_ends_as_promised() {
    let shown = |mode: Mode, steps: usize| -> Vec<usize> {
        let timeline = Timeline::new(mode, Ratio::new(10, 1).unwrap(), &vec![None; steps]).unwrap();
        (0..8).map(|i| timeline.at(i * SECOND / 10).step).collect()
    };
    assert_eq!(shown(Mode::Loop, 3), [0, 1, 2, 0, 1, 2, 0, 1]);
    assert_eq!(shown(Mode::Once, 3), [0, 1, 2, 2, 2, 2, 2, 2]);
    assert_eq!(shown(Mode::Bounce, 3), [0, 1, 2, 1, 0, 1, 2, 1]);
    assert_eq!((shown(Mode::Bounce, 2), shown(Mode::Bounce, 1)), (vec![0, 1, 0, 1, 0, 1, 0, 1], vec![0; 8]));
    let once = Timeline::new(Mode::Once, Ratio::new(10, 1).unwrap(), &[None; 3]).unwrap();
    let last = once.at(3 * SECOND / 10);
    assert_eq!((last.step, last.played, last.ended), (2, 1, true));
    assert_eq!((once.at(-5).step, once.at(299_999_999).ended), (0, false));
}

#[test]
fn clips_that_cannot_be_are_refused() {
    let fps = Ratio::new(10, 1).unwrap();
    assert_eq!(Timeline::new(Mode::Loop, fps, &[]), Err(ClipError::NoSteps));
    assert_eq!(Timeline::new(Mode::Loop, fps, &[Some(0)]), Err(ClipError::NoTime));
    assert_eq!(Timeline::new(Mode::Loop, Ratio::parse("-1").unwrap(), &[None]), Err(ClipError::Rate));
    assert_eq!(Timeline::new(Mode::Loop, fps, &[Some(u64::MAX)]), Err(ClipError::TooLong));
    for text in
        ["", "-", "1e3", "1/0", "x", "1.0000000001", "99999999999", "1/-2", "+1", " 1", "1/2/3", "1/+2", "+1/2", "1.+5"]
    {
        assert!(Ratio::parse(text).is_err(), "{text}");
    }
    assert_eq!(Ratio::parse("59.94").map(|r| (r.num(), r.den())), Ok((2997, 50)));
    assert_eq!(Ratio::parse("-0.50").map(|r| r.to_string()), Ok("-1/2".into()));
    assert_eq!(Ratio::new(i32::MIN, 2).map(Ratio::num), Some(i32::MIN / 2));
    let clip = |fps: Option<Rate>, ms: Option<f64>| {
        let steps = vec![Step { sprite: SpriteName::new("a"), ms, events: Vec::new() }];
        Timeline::of(&Clip { mode: Mode::Loop, fps, steps })
    };
    assert_eq!(clip(Some(Rate::Number(0.1 + 0.2)), None), Err(ClipError::NotARatio("0.30000000000000004".into())));
    assert_eq!(clip(None, Some(f64::NAN)), Err(ClipError::Duration(0)));
    assert_eq!(clip(None, Some(16.5)).map(|t| t.start_of(1)), Ok(16_500_000));
    assert_eq!(clip(None, None).map(|t| t.start_of(1)), Ok(100_000_000));
}

#[test]
fn a_rate_of_zero_stands_still_on_the_first_step_that_has_no_duration() {
    for mode in [Mode::Loop, Mode::Once, Mode::Bounce] {
        let clip = Timeline::new(mode, Ratio::ZERO, &[Some(5), None, Some(7), None]).unwrap();
        let shown = [0, 4, 5, 12, SECOND * 3600 * 24 * 365].map(|time| clip.at(time).step);
        assert_eq!((shown, clip.turns()), ([0, 0, 1, 1, 1], 2));
        let mut player = Player::new(Ratio::ONE);
        assert_eq!(player.advance(&clip, SECOND * 1_000_000).collect::<Vec<_>>(), [1]);
        assert_eq!(player.played(), 0);
    }
}

/// What is below a tick is kept when the speed changes, in parts of the new denominator: three quarters become one half.
#[test]
fn another_speed_goes_on_from_the_same_place() {
    let timeline = Timeline::new(Mode::Loop, Ratio::ONE, &[Some(1000)]).unwrap();
    let mut player = Player::new(Ratio::new(1, 4).unwrap());
    let _ = player.advance(&timeline, 3);
    player.set_speed(Ratio::new(1, 2).unwrap());
    for expected in [1, 1, 2, 2] {
        let _ = player.advance(&timeline, 1);
        assert_eq!(player.place(&timeline), expected);
    }
    // Three quarters of a tick past many periods are four and a half sixths, rounded down.
    let mut player = Player::new(Ratio::new(1, 4).unwrap());
    let _ = player.advance(&timeline, 4 * 12_345_000 + 3);
    player.set_speed(Ratio::new(1, 6).unwrap());
    for expected in [0, 1, 1, 1, 1, 1, 1, 2] {
        let _ = player.advance(&timeline, 1);
        assert_eq!(player.place(&timeline), expected);
    }
}

/// After it was moved back into its last step, it still reported that it had ended.
#[test]
fn a_clip_that_has_ended_and_is_led_back_has_not_ended() {
    let timeline = Timeline::new(Mode::Once, Ratio::new(10, 1).unwrap(), &[None; 3]).unwrap();
    let mut player = Player::new(Ratio::ONE);
    let told = [(400_000_000, 2, true), (-50_000_000, 2, false), (50_000_000, 2, true), (-250_000_000, 0, false)];
    for (time, step, ended) in told {
        let _ = player.advance(&timeline, time);
        assert_eq!((player.step(&timeline), player.ended(&timeline)), (step, ended), "{time}");
    }
}

/// Sprites of one canvas with these pivots, and a clip of them with a duration each.
fn walk(canvas: Size, sprites: &[(&str, [f64; 2], f64)]) -> (Atlas, Clip) {
    let mut atlas = crate::atlas::tests::full();
    let template = atlas.sprites.values().next().cloned().unwrap();
    let mut steps = Vec::new();
    for (i, (name, pivot, ms)) in (1..).zip(sprites) {
        let rect = Rect::new(i, 0, 1, 1);
        let sprite = Sprite { canvas, rect, pivot: *pivot, ..template.clone() };
        atlas.sprites.entry(SpriteName::new(name)).or_insert(sprite);
        steps.push(Step { sprite: SpriteName::new(name), ms: Some(*ms), events: Vec::new() });
    }
    (atlas, Clip { mode: Mode::Loop, fps: None, steps })
}

#[test]
fn what_is_odd_about_a_clip_is_told_with_the_place() {
    let size = Size::new(8, 8);
    let told = |atlas: &Atlas, clip: &Clip| -> Vec<String> {
        findings(atlas, clip).iter().map(|finding| format!("{} {finding}", finding.code())).collect()
    };
    let (atlas, clip) =
        walk(size, &[("walk/1", [4.0, 4.0], 10.0), ("walk/2", [4.0, 4.0], 10.0), ("walk/3", [4.0, 4.0], 1.0)]);
    assert_eq!(told(&atlas, &clip), [""; 0]);
    let (mut atlas, clip) = walk(
        size,
        &[
            ("walk/1", [4.0, 4.0], 10.0),
            ("walk/4", [4.0, 4.0], 0.0),
            ("walk/4", [4.0, 4.0], 1.0),
            ("walk/5", [7.0, 2.5], 1.0),
            ("run/9", [7.0, 2.5], 1.0),
        ],
    );
    let odd = [
        "frame_gap a gap: after frame 1 comes frame 4",
        "same_as_before step 2 shows the same as step 1; a longer duration would do",
        "pivot_jumps the pivot jumps by (3, -1.5) at step 3",
        "no_length step 1 takes no time",
    ];
    assert_eq!(told(&atlas, &clip), odd);
    // Pivots on canvases of several sizes cannot be compared.
    let last = atlas.sprites.get_mut(&SpriteName::new("walk/5")).unwrap();
    last.canvas = Size::new(8, 16);
    let canvases = "several_canvases canvases of 2 sizes: 8 x 8, 8 x 16";
    assert_eq!(told(&atlas, &clip), [odd[0], canvases, odd[1], odd[3]]);
}

#[test]
fn the_common_canvas_holds_every_step_with_its_pivot_in_one_place() {
    let (mut atlas, _) = walk(Size::new(8, 6), &[("a", [2.0, 5.4], 1.0), ("b", [6.5, -1.0], 1.0)]);
    let two = |atlas: &Atlas| {
        [&atlas.sprites[&SpriteName::new("a")], &atlas.sprites[&SpriteName::new("b")]].map(Clone::clone)
    };
    let [a, b] = two(&atlas);
    // Pivots at (2, 5) and (7, -1): the second begins 5 pixels further left and 6 further down.
    let expected = Common { size: Size::new(13, 12), places: vec![[5, 0], [0, 6]] };
    assert_eq!(common([&a, &b].into_iter(), 13), Some(expected));
    assert_eq!(common([&a, &b].into_iter(), 12), None);
    for far in [f64::NAN, f64::INFINITY, 1e300, -4_294_967_296.0] {
        atlas.sprites.get_mut(&SpriteName::new("b")).unwrap().pivot[0] = far;
        let [a, b] = two(&atlas);
        assert_eq!(common([&a, &b].into_iter(), u32::MAX), None, "{far}");
    }
}
