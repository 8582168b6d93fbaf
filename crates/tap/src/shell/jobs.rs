//! Work that may be long, off the drawing thread: a thread for each kind, which does one thing after the other.

use crate::crash;
use crossbeam_channel::{Receiver, Sender, unbounded};
use std::collections::HashMap;
use std::hash::Hash;
use std::io;
use std::thread::JoinHandle;

/// Says what came of a job; `None` when nobody wants to know.
type Job<M> = Box<dyn FnOnce() -> Option<M> + Send>;

/// A thread that does what it is told, in order.
#[derive(Debug)]
struct Hand<M> {
    orders: Sender<Job<M>>,
    thread: JoinHandle<()>,
}

/// The threads, one for each kind of work, and what they have to say.
#[derive(Debug)]
pub(super) struct Jobs<K, M> {
    hands: HashMap<K, Hand<M>>,
    say: Sender<M>,
    /// What came of jobs.
    pub(super) done: Receiver<M>,
}

impl<K: Eq + Hash + Copy, M: Send + 'static> Jobs<K, M> {
    pub(super) fn new() -> Self {
        let (say, done) = unbounded();
        Jobs { hands: HashMap::new(), say, done }
    }

    /// Has `job` done after all others of its kind, by a thread of that name. `failed`: what is said of a fault of the
    /// job's own, which is not the end of the program.
    ///
    /// # Errors
    /// When there is no thread to be had.
    pub(super) fn start(
        &mut self,
        kind: K,
        name: &'static str,
        failed: impl FnOnce(String) -> M + Send + 'static,
        job: impl FnOnce() -> Option<M> + Send + 'static,
    ) -> io::Result<()> {
        let job = move || {
            let watched = || {
                crash::on_purpose(name);
                job()
            };
            crash::contained(watched).unwrap_or_else(|fault| Some(failed(fault)))
        };
        if !self.hands.contains_key(&kind) {
            let (orders, received) = unbounded::<Job<M>>();
            let say = self.say.clone();
            // Nobody listens any more when the program ends.
            let work = move || received.into_iter().filter_map(|job| job()).for_each(|said| drop(say.send(said)));
            let thread = std::thread::Builder::new().name(name.into()).spawn(work)?;
            self.hands.insert(kind, Hand { orders, thread });
        }
        if let Some(hand) = self.hands.get(&kind) {
            // The thread ends when nothing can be sent to it any more.
            let _ = hand.orders.send(Box::new(job));
        }
        Ok(())
    }

    /// Waits until all that was started is done.
    pub(super) fn finish(self) {
        for (_, Hand { orders, thread }) in self.hands {
            drop(orders);
            // Its faults have been told.
            let _ = thread.join();
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use amber_core::work::Ticket;
    use std::time::Duration;

    fn next(jobs: &Jobs<u8, String>) -> String {
        jobs.done.recv_timeout(Duration::from_secs(60)).unwrap()
    }

    #[test]
    fn jobs_of_a_kind_come_in_order_and_a_fault_is_told_and_survived() {
        let mut jobs: Jobs<u8, String> = Jobs::new();
        let failed = |fault: String| format!("failed: {fault}");
        for i in 0..200 {
            jobs.start(0, "first", failed, move || Some(i.to_string())).unwrap();
        }
        (0..200).for_each(|i| assert_eq!(next(&jobs), i.to_string(), "nothing is lost"));
        jobs.start(0, "first", failed, || panic!("seven is missing")).unwrap();
        let told = next(&jobs);
        assert!(told.starts_with("failed: ") && told.contains("seven is missing"), "{told}");
        assert!(crash::seen().is_none(), "it is not the program's end");
        jobs.start(0, "first", failed, || Some("goes on".into())).unwrap();
        assert_eq!(next(&jobs), "goes on");
    }

    #[test]
    fn another_kind_is_not_held_up_and_all_is_done_at_the_end() {
        let mut jobs: Jobs<u8, String> = Jobs::new();
        let ticket = Ticket::default();
        let watched = ticket.clone();
        let long = move || {
            while watched.done(1, 4).is_ok() {
                std::thread::sleep(Duration::from_millis(1));
            }
            None
        };
        jobs.start(0, "long", |fault| fault, long).unwrap();
        jobs.start(0, "long", |fault| fault, || Some("newest".into())).unwrap();
        jobs.start(1, "short", |fault| fault, || Some("short".into())).unwrap();
        assert_eq!(next(&jobs), "short");
        ticket.cancel();
        assert_eq!(next(&jobs), "newest", "what was cancelled says nothing");
        assert_eq!(ticket.share(), 0.25);
        jobs.start(1, "short", |fault| fault, || Some("last".into())).unwrap();
        let done = jobs.done.clone();
        jobs.finish();
        assert_eq!(done.try_recv().unwrap(), "last");
    }
}
