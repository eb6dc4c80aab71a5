//! Values under plain numbers: a number that was given back is recognised by its generation and is no longer valid.

/// The number of generations; a slot that has used up all of them is not used again.
const GENERATIONS: u32 = 1 << 28;

/// Values by their keys: of 64 bits, the highest four are 0, the next 28 are the generation, the rest is the slot.
///
/// ```
/// let mut slots = zemtak_runtime::Slots::default();
/// let moth = slots.put("moth").unwrap();
/// assert_eq!(slots.take(moth), Some("moth"));
/// let lantern = slots.put("lantern").unwrap(); // in the same place
/// assert_eq!((slots.get(moth), slots.get(lantern)), (None, Some(&"lantern")));
/// ```
#[derive(Debug)]
pub struct Slots<T> {
    /// Each with its generation, which counts how often the slot was given back.
    places: Vec<(u32, Option<T>)>,
    free: Vec<u32>,
    retired: usize,
}

impl<T> Default for Slots<T> {
    fn default() -> Self {
        Self { places: Vec::new(), free: Vec::new(), retired: 0 }
    }
}

impl<T> Slots<T> {
    /// Keeps a value and returns its key. `None` if there are no numbers left.
    pub fn put(&mut self, thing: T) -> Option<u64> {
        let place = match self.free.pop() {
            Some(place) => place,
            None => {
                let place = u32::try_from(self.places.len()).ok()?;
                self.places.push((0, None));
                place
            }
        };
        let slot = self.places.get_mut(place as usize)?;
        slot.1 = Some(thing);
        Some(u64::from(slot.0) << 32 | u64::from(place))
    }

    /// The value of a key; `None` once it has been removed.
    #[must_use]
    pub fn get(&self, key: u64) -> Option<&T> {
        let (generation, thing) = self.places.get(place(key)?)?;
        thing.as_ref().filter(|_| u64::from(*generation) == key >> 32)
    }

    /// The same, mutable.
    pub fn get_mut(&mut self, key: u64) -> Option<&mut T> {
        let (generation, thing) = self.places.get_mut(place(key)?)?;
        thing.as_mut().filter(|_| u64::from(*generation) == key >> 32)
    }

    /// Removes a value.
    pub fn take(&mut self, key: u64) -> Option<T> {
        let (generation, thing) = self.places.get_mut(place(key)?)?;
        let thing = thing.take_if(|_| u64::from(*generation) == key >> 32)?;
        *generation += 1;
        if *generation < GENERATIONS {
            self.free.extend(u32::try_from(key & u64::from(u32::MAX)));
        } else {
            self.retired += 1;
        }
        Some(thing)
    }

    /// Removes all values.
    pub fn take_all(&mut self) -> Vec<T> {
        let keys = (0..).zip(&self.places).map(|(place, (generation, _))| u64::from(*generation) << 32 | place);
        let keys: Vec<u64> = keys.collect();
        keys.into_iter().filter_map(|key| self.take(key)).collect()
    }

    /// How many there are.
    #[must_use]
    pub fn len(&self) -> usize {
        self.places.len() - self.free.len() - self.retired
    }

    /// Whether there are none.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }
}

/// The slot of a key.
fn place(key: u64) -> Option<usize> {
    usize::try_from(key & u64::from(u32::MAX)).ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_place_whose_generations_are_used_up_is_left_alone() {
        let mut slots = Slots::default();
        let first = slots.put(0).unwrap();
        slots.places[0].0 = GENERATIONS - 1;
        let last = u64::from(GENERATIONS - 1) << 32;
        assert_eq!(slots.get(first), None);
        assert_eq!(slots.take(last), Some(0));
        assert_eq!((slots.put(1), slots.len(), slots.take(last)), (Some(1), 1, None));
    }
}
