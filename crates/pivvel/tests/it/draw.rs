//! Small whole numbers in an order that a seed decides (xorshift64*).

pub(crate) struct Draw(u64);

impl Draw {
    pub(crate) fn new(seed: u64) -> Draw {
        Draw(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1)
    }

    pub(crate) fn below(&mut self, bound: usize) -> usize {
        self.0 ^= self.0 >> 12;
        self.0 ^= self.0 << 25;
        self.0 ^= self.0 >> 27;
        ((self.0.wrapping_mul(0x2545_f491_4f6c_dd1d) >> 33) as usize) % bound
    }

    pub(crate) fn of<T: Copy>(&mut self, all: &[T]) -> T {
        all[self.below(all.len())]
    }
}
