//! Whether a few cells fit in a room at all: a search through every layout, for what random passes cannot rule out.
//!
//! Every layout can be built by placing one cell after the other into a corner of the staircase that the earlier cells
//! leave free: cells can be put in an order in which none lies to the left of and below what an earlier one spans, and
//! each can then slide left and down into a corner without getting in the way of later ones (S. Martello, D. Pisinger,
//! D. Vigo, 2000). So a search over all cells and all corners misses nothing. Three things keep it small: whatever lies
//! below the staircase and is not covered is lost for good, so a layout that loses more than the room can spare ends
//! there; no staircase is examined twice with the same cells left; and of four mirror images one is enough.

use super::fill::{Orientation, Placed};
use super::rng::scatter;
use crate::geometry::Size;
use std::collections::HashSet;

/// The result of such a search.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Verdict {
    /// All cells fit, like this.
    Fits(Vec<Placed>),
    /// They do not fit.
    Cannot,
    /// The search was given up before it had examined everything.
    Unknown,
}

/// Whether all cells of `left` fit in a room, examining at most `budget` staircases. Also returns how many it examined.
pub(super) fn fits(orientations: &[Orientation], left: &[u32], room: Size, budget: u64) -> (Verdict, u64) {
    let area = |o: &Orientation| u64::from(left[o.class]) * o.size.area();
    let all: u64 = orientations.iter().filter(|o| !o.turned).map(area).sum();
    let Some(spare) = room.area().checked_sub(all) else { return (Verdict::Cannot, 0) };
    // The largest cell, if it is the only one of its size: it lies in the lower left quarter of one of four mirror images.
    let only = |o: &&Orientation| left[o.class] == 1 && !o.turned;
    let anchor = orientations.iter().filter(only).max_by_key(|o| (o.size.area(), o.class)).map(|o| o.class);
    let mut search = Search {
        orientations,
        room,
        spare,
        anchor,
        left: left.to_vec(),
        puts: Vec::new(),
        seen: HashSet::new(),
        looks: 0,
        budget,
    };
    let fits = search.run(&Staircase::new(room), 0);
    let verdict = match fits {
        true => Verdict::Fits(search.puts),
        false if search.looks > budget => Verdict::Unknown,
        false => Verdict::Cannot,
    };
    (verdict, search.looks)
}

/// From `x` to the next step, everything below `y` is taken or lost.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Step {
    x: u32,
    y: u32,
}

/// The edge of everything that later cells cannot use: steps from left to right, each lower than the one before.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Staircase {
    room: Size,
    steps: Vec<Step>,
}

impl Staircase {
    fn new(room: Size) -> Self {
        Self { room, steps: vec![Step { x: 0, y: 0 }] }
    }

    /// The pixels below it.
    fn area(&self) -> u64 {
        let ends = self.steps.iter().skip(1).map(|step| step.x).chain([self.room.w]);
        self.steps.iter().zip(ends).map(|(step, end)| u64::from(end - step.x) * u64::from(step.y)).sum()
    }

    /// Takes everything left of `x` and below `y` too.
    fn raise(&mut self, x: u32, y: u32) {
        let from = self.steps.partition_point(|step| step.y > y);
        let Some(first) = self.steps.get(from).filter(|step| step.x < x) else { return };
        let raised = Step { x: first.x, y };
        let to = self.steps.partition_point(|step| step.x <= x);
        let after = Step { x, y: self.steps[to - 1].y };
        let stays = x < self.room.w && after.y < y;
        self.steps.splice(from..to, [Some(raised), stays.then_some(after)].into_iter().flatten());
    }

    /// Gives up what is too narrow or too low for every remaining cell.
    fn give_up(&mut self, rest: &Rest) {
        let least = |sides: &[Side]| sides.first().map(|side| side.length);
        let (Some(narrowest), Some(lowest)) = (least(&rest.widths), least(&rest.heights)) else { return };
        let Size { w, h } = self.room;
        let ends = self.steps.iter().skip(1).map(|step| step.x).chain([w]);
        let low = self.steps.iter().zip(ends).filter(|(step, _)| h - step.y < lowest).map(|(_, end)| end).last();
        let heights = [h].into_iter().chain(self.steps.iter().map(|step| step.y));
        let narrow = self.steps.iter().zip(heights).find(|(step, _)| w - step.x < narrowest).map(|(_, above)| above);
        low.into_iter().for_each(|end| self.raise(end, h));
        narrow.into_iter().for_each(|above| self.raise(w, above));
    }
}

/// A cell in a corner, and the staircase after it.
struct Child {
    lost: u64,
    orientation: Orientation,
    corner: Step,
    next: Staircase,
}

/// The shortest length that a side of some cells can have, and the pixels of all cells with a side of this length or
/// shorter.
struct Side {
    length: u32,
    area: u64,
}

/// The remaining cells: their sides, the shortest first.
struct Rest {
    widths: Vec<Side>,
    heights: Vec<Side>,
}

impl Rest {
    fn new(orientations: &[Orientation], left: &[u32]) -> Self {
        let sides = |side: fn(Size) -> u32| {
            let shortest = |class: usize| {
                orientations.iter().filter(|o| o.class == class).map(|o| (side(o.size), o.size.area())).min()
            };
            let classes = left.iter().enumerate().filter(|(_, n)| **n > 0);
            let lengths =
                classes.filter_map(|(class, &n)| shortest(class).map(|(length, area)| (length, area * u64::from(n))));
            let mut sides: Vec<Side> = lengths.map(|(length, area)| Side { length, area }).collect();
            sides.sort_unstable_by_key(|side| side.length);
            (1..sides.len()).for_each(|n| sides[n].area += sides[n - 1].area);
            sides
        };
        Self { widths: sides(|size| size.w), heights: sides(|size| size.h) }
    }

    /// Pixels above a staircase that the remaining cells can never cover: where there is less room above than a cell is
    /// high, or less room beside than it is wide, only smaller cells can lie.
    fn cannot_cover(&self, stairs: &Staircase) -> u64 {
        let Size { w, h } = stairs.room;
        let ends = stairs.steps.iter().skip(1).map(|step| step.x).chain([w]);
        let columns = stairs.steps.iter().zip(ends).map(|(step, end)| (h - step.y, end - step.x));
        let above = |n: usize| n.checked_sub(1).map_or(h, |before| stairs.steps[before].y);
        let rows = stairs.steps.iter().enumerate().rev().map(|(n, step)| (w - step.x, above(n) - step.y));
        uncovered(columns, &self.heights).max(uncovered(rows, &self.widths))
    }
}

/// Given strips by width and length, the narrowest first: the pixels that cells with these sides cannot cover.
fn uncovered(strips: impl Iterator<Item = (u32, u32)>, sides: &[Side]) -> u64 {
    let (mut pixels, mut worst) = (0, 0);
    for (across, long) in strips {
        pixels += u64::from(across) * u64::from(long);
        let fit = sides.partition_point(|side| side.length <= across);
        let covered = fit.checked_sub(1).map_or(0, |last| sides[last].area);
        worst = worst.max(pixels.saturating_sub(covered));
    }
    worst
}

struct Search<'a> {
    orientations: &'a [Orientation],
    room: Size,
    spare: u64,
    anchor: Option<usize>,
    left: Vec<u32>,
    puts: Vec<Placed>,
    /// Identifies each staircase with its remaining cells. Two numbers: a chance collision of one would pass for a
    /// proof.
    seen: HashSet<(u64, u64)>,
    looks: u64,
    budget: u64,
}

impl Search<'_> {
    /// Places everything that is left above a staircase below which `placed` pixels are covered.
    fn run(&mut self, stairs: &Staircase, placed: u64) -> bool {
        if self.left.iter().all(|&n| n == 0) {
            return true;
        }
        self.looks += 1;
        if self.looks > self.budget || !self.seen.insert(self.key(stairs)) || !self.each_has_a_corner(stairs) {
            return false;
        }
        for Child { orientation: Orientation { size, class, turned }, corner, next, .. } in
            self.children(stairs, placed)
        {
            self.left[class] -= 1;
            self.puts.push(Placed { class, x: corner.x, y: corner.y, turned });
            if self.run(&next, placed + size.area()) {
                return true;
            }
            if self.looks > self.budget {
                return false;
            }
            self.puts.pop();
            self.left[class] += 1;
        }
        false
    }

    /// Every cell in every corner that loses no more than can be spared, the least loss first.
    fn children(&mut self, stairs: &Staircase, placed: u64) -> Vec<Child> {
        let mut children = Vec::new();
        for class in 0..self.left.len() {
            if self.left[class] == 0 {
                continue;
            }
            self.left[class] -= 1;
            let rest = Rest::new(self.orientations, &self.left);
            for &orientation in self.orientations.iter().filter(|o| o.class == class) {
                let Size { w, h } = orientation.size;
                for &corner in stairs.steps.iter().filter(|corner| self.may_lie(orientation, **corner)) {
                    let mut next = stairs.clone();
                    next.raise(corner.x + w, corner.y + h);
                    next.give_up(&rest);
                    let lost = next.area() - placed - orientation.size.area();
                    if lost <= self.spare && lost + rest.cannot_cover(&next) <= self.spare {
                        children.push(Child { lost, orientation, corner, next });
                    }
                }
            }
            self.left[class] += 1;
        }
        children.sort_by_key(|child| (child.lost, std::cmp::Reverse(child.orientation.size.area())));
        children
    }

    fn may_lie(&self, Orientation { size, class, .. }: Orientation, corner: Step) -> bool {
        let (w, h) = (self.room.w.checked_sub(corner.x), self.room.h.checked_sub(corner.y));
        let (Some(w), Some(h)) = (w, h) else { return false };
        // Its middle is not to the right of the room's middle, and not above it.
        let in_quarter = || 2 * corner.x + size.w <= self.room.w && 2 * corner.y + size.h <= self.room.h;
        size.w <= w && size.h <= h && (self.anchor != Some(class) || in_quarter())
    }

    /// Whether each remaining cell fits in some corner; later corners lie above and to the right of the current ones.
    fn each_has_a_corner(&self, stairs: &Staircase) -> bool {
        let fits = |o: &Orientation| stairs.steps.iter().any(|corner| self.may_lie(*o, *corner));
        let classes = self.left.iter().enumerate().filter(|(_, n)| **n > 0);
        classes.into_iter().all(|(class, _)| self.orientations.iter().any(|o| o.class == class && fits(o)))
    }

    fn key(&self, stairs: &Staircase) -> (u64, u64) {
        let left = self.left.iter().map(|&n| u64::from(n));
        let steps = stairs.steps.iter().map(|step| u64::from(step.x) << 32 | u64::from(step.y));
        left.chain(steps).fold((1, 2), |(a, b), n| (scatter(a ^ n), scatter(b ^ n.rotate_left(17))))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::layout::rng::Rng;

    fn orientations(sizes: &[Size], turning: bool) -> Vec<Orientation> {
        let upright = sizes.iter().enumerate().map(|(class, &size)| Orientation { size, class, turned: false });
        let turned = upright.clone().filter(|o| turning && o.size.w != o.size.h);
        let turned = turned.map(|o| Orientation { size: o.size.swapped(), turned: true, ..o });
        upright.chain(turned).collect()
    }

    /// Whether cells fit, by trying each at every place of the room.
    fn by_brute_force(sizes: &[Size], room: Size, turning: bool, taken: &mut Vec<(u32, u32, Size)>) -> bool {
        let Some((&size, rest)) = sizes.split_first() else { return true };
        let ways = if turning { vec![size, size.swapped()] } else { vec![size] };
        for size in ways.into_iter().filter(|size| size.fits_in(room)) {
            for (x, y) in (0..=room.h - size.h).flat_map(|y| (0..=room.w - size.w).map(move |x| (x, y))) {
                let apart = |&(u, v, other): &(u32, u32, Size)| {
                    x + size.w <= u || u + other.w <= x || y + size.h <= v || v + other.h <= y
                };
                if taken.iter().all(apart) {
                    taken.push((x, y, size));
                    let fits = by_brute_force(rest, room, turning, taken);
                    taken.pop();
                    if fits {
                        return true;
                    }
                }
            }
        }
        false
    }

    #[test]
    fn what_fits_is_what_trying_every_place_finds() {
        let mut rng = Rng::new(5);
        let (mut fit, mut not) = (0, 0);
        for n in 0..400 {
            let cells = 2 + rng.below(4) as usize;
            let sizes: Vec<Size> = (0..cells).map(|_| Size::new(1 + rng.below(4), 1 + rng.below(4))).collect();
            let room = Size::new(3 + rng.below(4), 3 + rng.below(4));
            let turning = n % 2 == 0;
            let expected = sizes.iter().map(|s| s.area()).sum::<u64>() <= room.area()
                && by_brute_force(&sizes, room, turning, &mut Vec::new());
            let (verdict, _) = fits(&orientations(&sizes, turning), &vec![1; cells], room, 1_000_000);
            assert_eq!(
                matches!(verdict, Verdict::Fits(_)),
                expected,
                "{sizes:?} in {room}, turning {turning}: {verdict:?}"
            );
            assert_ne!(verdict, Verdict::Unknown);
            if expected { fit += 1 } else { not += 1 }
        }
        assert!(fit > 60 && not > 60, "{fit} fit, {not} do not");
    }

    /// Two that passed for one would make a layout impossible that is not.
    #[test]
    fn staircases_are_told_apart() {
        let room = Size::new(6, 6);
        let mut search = Search {
            orientations: &[],
            room,
            spare: 0,
            anchor: None,
            left: Vec::new(),
            puts: Vec::new(),
            seen: HashSet::new(),
            looks: 0,
            budget: 0,
        };
        let (mut stairs, mut keys) = (Vec::new(), HashSet::new());
        for n in 0..6_u32.pow(4) {
            let [x, y, u, v] = [0, 1, 2, 3].map(|digit| 1 + n / 6_u32.pow(digit) % 6);
            let mut made = Staircase::new(room);
            made.raise(x, y);
            made.raise(u, v);
            if !stairs.contains(&made) {
                for left in [[1, 2], [2, 1], [0, 2]] {
                    search.left = left.to_vec();
                    keys.insert(search.key(&made));
                }
                stairs.push(made);
            }
        }
        assert!(stairs.len() > 200);
        assert_eq!(keys.len(), 3 * stairs.len());
    }

    #[test]
    fn what_takes_too_long_is_not_called_impossible() {
        let squares: Vec<Size> = (1..=12).map(|side| Size::new(side, side)).collect();
        let (verdict, looks) = fits(&orientations(&squares, false), &[1; 12], Size::new(29, 23), 10);
        assert_eq!((verdict, looks), (Verdict::Unknown, 11));
    }
}
