//! Offers what a source sends on a TCP port, for others to watch.

use super::{endpoint, with_sources};
use crate::print::{aside, line};
use crate::shell::Signals;
use amber_core::bench::Bench;
use amber_core::digits::{bytes, counted};
use amber_core::tail::visible;
use amber_io::{Command, Feed, HostClock, Link, LinkState, Share};
use anyhow::Context;
use std::net::SocketAddr;
use std::time::Duration;

/// How long a step waits for what comes.
const STEP: Duration = Duration::from_millis(50);

/// Shares `source` at `at` until Ctrl-C, or until a text ends.
pub(super) fn run(source: String, at: SocketAddr, may_send: bool, baud: Option<u32>) -> anyhow::Result<u8> {
    let bench = with_sources(Bench::default(), &[source], baud)?;
    let wire = &bench.first().wire;
    let share = Share::start(at, may_send).with_context(|| format!("cannot listen at {at}"))?;
    let link = Link::start(endpoint(wire)?.to_its_end(), HostClock::start()).context("no thread for the port")?;
    let signals = Signals::watch()?;
    line(format_args!("tcp://{}", share.address()), "the address")?;
    let sending = if may_send { "clients may send to the board" } else { "read-only" };
    let reach =
        if at.ip().is_loopback() { "reachable from this machine only" } else { "reachable from other machines" };
    aside(format_args!("{} is shared; {sending}; {reach}; Ctrl-C ends it", visible(wire.port.as_bytes())));
    let mut all = 0u64;
    let mut state = LinkState::Opening;
    while signals.ended().is_none() {
        share.news.try_iter().for_each(|news| aside(format_args!("{news}")));
        for bytes in share.sent.try_iter() {
            // The board's queue is full for a moment: the line is not sent, and that is said.
            if link.tell(Command::Send(bytes)).is_err() {
                aside("a line was not sent: the lines before it still wait for the board");
            }
        }
        // The screen's channel is not looked at; the other one loses nothing.
        link.engine.try_iter().for_each(drop);
        match link.keeper.recv_timeout(STEP) {
            Ok(Feed::Chunk(chunk)) => {
                all += chunk.bytes.len() as u64;
                share.give(&chunk.bytes);
            }
            Ok(Feed::State(LinkState::Ended)) => break,
            Ok(Feed::State(now)) => {
                // Each try that fails says so again.
                if let LinkState::Waiting { problem, .. } = &now
                    && !matches!(&state, LinkState::Waiting { problem: before, .. } if before == problem)
                {
                    aside(format_args!("{problem}"));
                }
                state = now;
            }
            Ok(Feed::NotDone(what)) => aside(format_args!("not sent: {what}")),
            Ok(_) => {}
            Err(error) if error.is_timeout() => {}
            Err(_) => break,
        }
    }
    signals.end_at_last();
    let clients = share.clients();
    drop((link, share));
    aside(format_args!("{} received; {} connected at the end", bytes(all), counted(clients as u64, "client")));
    Ok(0)
}
