//! Splitting again, by another shape, the lines that are kept.

use super::Chain;
use crate::Stamp;
use crate::split::{Frame, LineOutcome};
use crate::work::{Cancelled, Ticket};

/// Lines that are split again between two looks at what they changed.
const LINES_AGAIN: u64 = 1024;

impl Chain {
    /// Splits all lines that are kept by the settings in force.
    ///
    /// # Errors
    /// [`Cancelled`] when it is not wanted any more; the chain is of no use then.
    pub(super) fn split_anew(&mut self, ticket: &Ticket) -> Result<(), Cancelled> {
        self.interpreter.settle(&mut self.intake);
        let fresh = Chain::with(self.live_settings(), self.intake.rule, self.intake.store.limits());
        let (deferred, at_once) = (self.deferred.take(), self.intake.at_once);
        let mut old = std::mem::replace(self, fresh);
        self.intake.counts = old.intake.counts.recount_lines();
        let opening = old.intake.opening();
        self.open(opening, None);
        let (numbers, before) = (old.intake.tail.numbers(), old.interpreter.splitter());
        for line in old.intake.tail.lines() {
            // As after each piece that arrives, but not after each line.
            if line.number.is_multiple_of(LINES_AGAIN) {
                self.follow();
                ticket.done(line.number - numbers.start, numbers.end - numbers.start)?;
            }
            if old.intake.tail.is_broken_before(line.number) {
                self.open(opening, None);
            }
            self.intake.newest = Some(line.at);
            match line.outcome {
                LineOutcome::Sent => {
                    self.interpreter.sent(line.at, line.bytes, &mut self.intake);
                    self.intake.tail.push(line.at, line.outcome, line.bytes);
                }
                outcome => {
                    let frame = self.interpreter.splitter().again(before, outcome, line.bytes);
                    self.split_again(line.at, outcome == LineOutcome::Half, frame);
                }
            }
        }
        if old.intake.tail.is_broken_before(numbers.end) {
            self.open(opening, None);
        }
        let splitter = before;
        for line in splitter.waiting() {
            if line.broken {
                self.open(opening, None);
            }
            self.split_again(line.at, line.half, Frame::Whole(line.bytes));
        }
        if splitter.waits() && splitter.is_broken_behind() {
            self.open(opening, None);
        }
        self.follow();
        self.intake.newest = old.intake.newest;
        self.intake.watching.catch_up(&mut old.intake.watching);
        let forgotten = self.interpreter.splitter_mut().go_on_from(old.interpreter.into_splitter());
        self.intake.counts.cut_off += forgotten as u64;
        (self.deferred, self.intake.at_once) = (deferred, at_once);
        Ok(())
    }

    /// Splits a frame that came before; `half`: its beginning may be missing.
    fn split_again(&mut self, at: Stamp, half: bool, frame: Frame<'_>) {
        if half {
            self.interpreter.splitter_mut().break_off();
        }
        self.interpreter.take_frame(at, frame, &mut self.intake);
    }
}
