//! The upper edge of everything placed so far. "Up" is away from row 0, the ground.

use super::rng::scatter;
use crate::geometry::Size;

/// A piece of the edge at one height.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
struct Segment {
    x: u32,
    y: u32,
    w: u32,
}

/// The lowest gap: its segment, and how high its walls rise above it.
#[derive(Debug, Clone, Copy)]
pub(super) struct Gap {
    at: usize,
    pub(super) x: u32,
    pub(super) y: u32,
    pub(super) w: u32,
    /// How far the left wall rises above the gap; a page's edge is as high as the page.
    pub(super) left: u32,
    /// The same on the right.
    pub(super) right: u32,
    /// How much room there is above the gap.
    pub(super) room: u32,
}

impl Gap {
    #[cfg(test)]
    pub(super) fn for_test(w: u32, left: u32, right: u32, room: u32) -> Self {
        Self { at: 0, x: 0, y: 0, w, left, right, room }
    }

    /// The pixels that are certainly lost beside a cell placed here: those of a rest too narrow for any cell.
    pub(super) fn sliver(&self, Size { w, h }: Size, narrowest: u32) -> u64 {
        let rest = self.w - w;
        let far = if self.goes_right(h) { self.left } else { self.right };
        if rest < narrowest { u64::from(rest) * u64::from(h.min(far)) } else { 0 }
    }

    /// Beside the wall with which the cell ends flush, else beside the higher one.
    fn goes_right(&self, h: u32) -> bool {
        h != self.left && (h == self.right || self.right > self.left)
    }
}

/// A skyline in a room of a fixed height. No two neighbouring segments have the same height.
#[derive(Debug, Default, PartialEq, Eq)]
pub(super) struct Skyline {
    height: u32,
    segments: Vec<Segment>,
}

impl Skyline {
    /// The flat ground of a room.
    pub(super) fn new(room: Size) -> Self {
        Self { height: room.h, segments: vec![Segment { x: 0, y: 0, w: room.w }] }
    }

    /// The lowest gap, the leftmost of equal ones; `None` if the room is filled to its height.
    pub(super) fn lowest(&self) -> Option<Gap> {
        let mut at = 0;
        for (i, segment) in self.segments.iter().enumerate().skip(1) {
            if segment.y < self.segments[at].y {
                at = i;
            }
        }
        let Segment { x, y, w } = self.segments[at];
        let room = self.height - y;
        let wall = |neighbour: Option<&Segment>| neighbour.map_or(room, |s| s.y - y);
        let left = wall(at.checked_sub(1).and_then(|i| self.segments.get(i)));
        let gap = Gap { at, x, y, w, left, right: wall(self.segments.get(at + 1)), room };
        (room > 0).then_some(gap)
    }

    /// A number that identifies this skyline, or its mirror image, together with `seed`.
    pub(super) fn scattered(&self, seed: u64) -> u64 {
        // Widths and heights suffice, because segments are adjacent.
        let next = |sum: u64, s: &Segment| scatter(sum ^ (u64::from(s.y) << 32 | u64::from(s.w)));
        self.segments.iter().fold(seed, next).min(self.segments.iter().rev().fold(seed, next))
    }

    /// Like `clone_from`, which reuses memory.
    pub(super) fn become_like(&mut self, other: &Self) {
        self.height = other.height;
        self.segments.clone_from(&other.segments);
    }

    /// How many segments there will be once a cell is placed in a gap.
    pub(super) fn segments_with(&self, gap: Gap, Size { w, h }: Size) -> u64 {
        // A page's edge is a wall, but no segment to join.
        let joins_left = h == gap.left && gap.at > 0;
        let joins_right = h == gap.right && gap.at + 1 < self.segments.len();
        let less = match (w == gap.w, gap.goes_right(h)) {
            (true, _) => u64::from(joins_left) + u64::from(joins_right),
            (false, true) => u64::from(joins_right),
            (false, false) => u64::from(joins_left),
        };
        self.segments.len() as u64 + u64::from(w < gap.w) - less
    }

    /// Places a cell in a gap, beside the wall with which it ends flush, else beside the higher one; returns its left
    /// edge.
    pub(super) fn put(&mut self, gap: Gap, Size { w, h }: Size) -> u32 {
        let to_right = gap.goes_right(h);
        let x = if to_right { gap.x + gap.w - w } else { gap.x };
        let top = Segment { x, y: gap.y + h, w };
        if w == gap.w {
            self.segments[gap.at] = top;
            self.merge(gap.at);
        } else if to_right {
            self.segments[gap.at].w -= w;
            self.segments.insert(gap.at + 1, top);
            self.merge(gap.at + 1);
        } else {
            self.segments[gap.at] = Segment { x: gap.x + w, y: gap.y, w: gap.w - w };
            self.segments.insert(gap.at, top);
            self.merge(gap.at);
        }
        x
    }

    /// Gives up a gap: it rises to its lower wall. Returns the pixels that are lost.
    pub(super) fn give_up(&mut self, gap: Gap) -> u64 {
        let rise = gap.left.min(gap.right);
        self.segments[gap.at].y += rise;
        self.merge(gap.at);
        u64::from(rise) * u64::from(gap.w)
    }

    /// Merges a segment with neighbours of the same height.
    fn merge(&mut self, at: usize) {
        if at + 1 < self.segments.len() && self.segments[at + 1].y == self.segments[at].y {
            self.segments[at].w += self.segments[at + 1].w;
            self.segments.remove(at + 1);
        }
        if at > 0 && self.segments[at - 1].y == self.segments[at].y {
            self.segments[at - 1].w += self.segments[at].w;
            self.segments.remove(at);
        }
    }
}
