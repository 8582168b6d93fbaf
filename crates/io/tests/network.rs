//! Sources on the network: connections that break and come again, a serial port at the other end of one, datagrams, and what is
//! offered to others.

use amber_core::bench::{Bench, WireSettings};
use amber_io::take::{From, Keeper, Order, Report, TakePlace, open};
use amber_io::{Command, Endpoint, Feed, HostClock, Link, LinkState, Problem, Share, ShareNews};
use std::io::{Read, Write};
use std::net::{TcpListener, TcpStream, UdpSocket};
use std::sync::Arc;
use std::time::{Duration, Instant};

/// Generous, for slow machines; nothing is timed by it.
const PATIENCE: Duration = Duration::from_secs(60);

fn link_to(address: &str, baud: Option<u32>) -> Link {
    let wire = WireSettings { baud, ..WireSettings::at(address) };
    Link::start(Endpoint::of(&wire, None), HostClock::start()).unwrap()
}

/// Waits until `test` has found what it waits for in what comes.
fn until<T>(link: &Link, what: &str, mut test: impl FnMut(&Feed) -> Option<T>) -> T {
    let begun = Instant::now();
    while begun.elapsed() < PATIENCE {
        link.engine.try_iter().for_each(drop);
        if let Ok(feed) = link.keeper.recv_timeout(Duration::from_millis(50))
            && let Some(found) = test(&feed)
        {
            return found;
        }
    }
    panic!("waited for {what}");
}

/// Waits for bytes with `text` in them, and gives all so far.
fn bytes_until(link: &Link, text: &[u8]) -> Vec<u8> {
    let mut seen: Vec<u8> = Vec::new();
    until(link, &String::from_utf8_lossy(text), |feed| {
        let Feed::Chunk(chunk) = feed else { return None };
        let looked_at = seen.len().saturating_sub(text.len());
        seen.extend_from_slice(&chunk.bytes);
        seen[looked_at..].windows(text.len()).any(|window| window == text).then_some(())
    });
    seen
}

#[test]
fn a_take_has_every_byte_of_connections_that_break_again_and_again() {
    const ROUNDS: usize = 8;
    let server = TcpListener::bind("127.0.0.1:0").unwrap();
    let address = format!("tcp://{}", server.local_addr().unwrap());
    let serving = std::thread::spawn(move || {
        let mut sent = Vec::new();
        for round in 0..ROUNDS {
            let (mut client, _) = server.accept().unwrap();
            let lines: String = (0..40).map(|i| format!("n={} gauge={}\r\n", round * 40 + i, i * 7 % 50)).collect();
            // The last line of a connection may be cut off.
            let lines = &lines[..lines.len() - round % 3];
            client.write_all(lines.as_bytes()).unwrap();
            sent.extend_from_slice(lines.as_bytes());
        }
        (sent, server)
    });
    let dir = tempfile::tempdir().unwrap();
    let folder = dir.path().join("take");
    let clock = HostClock::start();
    let link = Link::start(Endpoint::of(&WireSettings::at(&address), None), clock).unwrap();
    let first = Order::Start {
        place: TakePlace::Exactly(folder.clone()),
        bench: Box::new(Bench::default()),
        from: From::Opening,
    };
    let keeper = Keeper::start_with(link.keeper.clone(), clock, Some(first)).unwrap();
    let (mut lost, begun) = (0, Instant::now());
    while lost < ROUNDS && begun.elapsed() < PATIENCE {
        if let Ok(Feed::State(LinkState::Waiting { problem, .. })) = link.engine.recv_timeout(Duration::from_millis(50))
        {
            assert_eq!(problem, Problem::Closed(address.clone()));
            lost += 1;
        }
    }
    let (sent, _server) = serving.join().unwrap();
    drop(link);
    assert!(keeper.join().iter().any(|report| matches!(report, Report::Stopped(_))));
    let take = open(&folder).unwrap();
    assert_eq!(take.told, Vec::<String>::new());
    assert!(take.wire.to_vec().unwrap() == sent, "every byte that was sent, and none twice");
    let gaps = std::fs::read_to_string(folder.join("gaps.csv")).unwrap();
    assert!(gaps.matches(",lost,").count() >= ROUNDS - 1 && gaps.matches(",resumed,").count() == ROUNDS - 1, "{gaps}");
    // No row is made of the halves of two lines: a line that lost its end is none, and neither is the one behind it.
    let table = std::fs::read_to_string(folder.join("readings.csv")).unwrap();
    let rows: Vec<&str> = table.lines().skip(1).collect();
    assert!(rows.len() >= ROUNDS * 40 - ROUNDS && rows.len() <= ROUNDS * 40, "{}", rows.len());
    for row in rows {
        let cells: Vec<f64> = row.split(',').skip(2).map(|cell| cell.parse().unwrap()).collect();
        assert_eq!(cells[1], (cells[0] % 40.0 * 7.0) % 50.0, "{row}");
    }
}

/// The other end of RFC 2217 for tests: a board at 57,600 baud that is garbled at any other speed, as bytes of that document.
fn remote_port(mut client: TcpStream, has_control: bool) {
    client.set_read_timeout(Some(Duration::from_millis(10))).unwrap();
    let (mut baud, mut heard, mut round) = (0u32, Vec::new(), 0u32);
    let mut controls = Vec::new();
    loop {
        let mut buffer = [0; 512];
        match client.read(&mut buffer) {
            Ok(0) => return,
            Ok(length) => heard.extend_from_slice(&buffer[..length]),
            Err(error) if matches!(error.kind(), std::io::ErrorKind::WouldBlock | std::io::ErrorKind::TimedOut) => {}
            Err(_) => return,
        }
        let offer = heard.windows(3).position(|three| three == [255, 251, 44]);
        if let Some(at) = offer {
            heard.drain(..at + 3);
            client.write_all(&[255, if has_control { 253 } else { 254 }, 44, 255, 253, 1]).unwrap();
        }
        while let Some(at) = heard.windows(4).position(|four| four[..3] == [255, 250, 44]) {
            let Some(end) = heard[at..].windows(2).position(|two| two == [255, 240]) else { break };
            let answer: Vec<u8> = heard.drain(at..at + end + 2).collect();
            if let (true, 1, Some(four)) = (has_control, answer[3], answer.get(4..8)) {
                baud = u32::from_be_bytes(four.try_into().unwrap());
                let mut say = vec![255, 250, 44, 101];
                say.extend_from_slice(&answer[4..answer.len()]);
                client.write_all(&say).unwrap();
            }
            if answer[3] == 5 {
                controls.push(answer[4]);
            }
        }
        // A line to the board is echoed, and its reset is told.
        if heard.ends_with(b"hello\n") {
            client.write_all(b"echo=1 hello\xff\xff\r\n").unwrap();
            heard.clear();
        }
        if controls.ends_with(&[9, 12, 8, 11]) {
            client.write_all(b"board started\r\n").unwrap();
            controls.clear();
        }
        round += 1;
        let line = format!("x={} y={}\r\n", round % 97, round % 13);
        let sent: Vec<u8> = match baud {
            57_600 => line.into_bytes(),
            _ => line.bytes().map(|byte| byte.wrapping_mul(91) | 0x80).filter(|byte| *byte != 255).collect(),
        };
        if client.write_all(&sent).is_err() {
            return;
        }
    }
}

#[test]
fn a_port_at_the_other_end_is_set_found_reset_and_written_to() {
    let server = TcpListener::bind("127.0.0.1:0").unwrap();
    let address = format!("rfc2217://{}", server.local_addr().unwrap());
    std::thread::spawn(move || {
        for client in server.incoming().take(2) {
            remote_port(client.unwrap(), true);
        }
    });
    let link = link_to(&address, None);
    let tried = until(&link, "a speed", |feed| match feed {
        Feed::State(LinkState::Open { baud: Some(57_600), tried, .. }) => Some(tried.clone()),
        _ => None,
    });
    assert!(tried.len() > 1 && tried.last().is_some_and(|last| last.heard.score() > 0.85), "{tried:?}");
    link.tell(Command::Send(b"hello\n".to_vec())).unwrap();
    let heard = bytes_until(&link, b"hello\xff\r\n");
    assert!(!heard.contains(&250), "nothing but what the board sent");
    link.tell(Command::Reset).unwrap();
    bytes_until(&link, b"board started\r\n");
}

#[test]
fn what_is_no_port_and_what_is_not_there_is_told() {
    let server = TcpListener::bind("127.0.0.1:0").unwrap();
    let at = server.local_addr().unwrap();
    std::thread::spawn(move || {
        for client in server.incoming().take(1) {
            remote_port(client.unwrap(), false);
        }
    });
    let address = format!("rfc2217://{at}");
    let problem = |link: &Link| {
        until(link, "a problem", |feed| match feed {
            Feed::State(LinkState::Waiting { problem, .. }) => Some(problem.clone()),
            _ => None,
        })
    };
    assert_eq!(problem(&link_to(&address, Some(9600))), Problem::NoControl(address));
    assert!(matches!(problem(&link_to("tcp://127.0.0.1:1", None)), Problem::NotReached { .. }));
    assert!(matches!(problem(&link_to("tcp://nowhere", None)), Problem::Address { .. }));
}

#[test]
fn a_datagram_is_a_line_or_several_and_is_answered() {
    let free = UdpSocket::bind("127.0.0.1:0").unwrap().local_addr().unwrap();
    let link = link_to(&format!("udp://127.0.0.1:{}", free.port()), None);
    until(&link, "the opening", |feed| matches!(feed, Feed::State(LinkState::Open { baud: None, .. })).then_some(()));
    let board = UdpSocket::bind("127.0.0.1:0").unwrap();
    board.connect(free).unwrap();
    board.send(b"x=1 y=2").unwrap();
    board.send(b"x=3 y=4\nx=5 y=6\r\n").unwrap();
    let long = "z".repeat(40_000);
    board.send(long.as_bytes()).unwrap();
    board.send(b"end").unwrap();
    let all = bytes_until(&link, b"end\n");
    assert!(all == [b"x=1 y=2\nx=3 y=4\nx=5 y=6\r\n", long.as_bytes(), b"\nend\n"].concat());
    link.tell(Command::Send(b"zero\n".to_vec())).unwrap();
    let mut answer = [0; 16];
    board.set_read_timeout(Some(PATIENCE)).unwrap();
    let length = board.recv(&mut answer).unwrap();
    assert_eq!(&answer[..length], b"zero\n");
}

#[test]
fn what_is_shared_reaches_all_clients_and_none_waits_for_a_slow_one() {
    for may_send in [false, true] {
        let share = Share::start("127.0.0.1:0".parse().unwrap(), may_send).unwrap();
        let address = share.address();
        let first = link_to(&format!("tcp://{address}"), None);
        let mut second = TcpStream::connect(address).unwrap();
        let slow = TcpStream::connect(address).unwrap();
        let begun = Instant::now();
        while share.clients() < 3 && begun.elapsed() < PATIENCE {
            std::thread::sleep(Duration::from_millis(10));
        }
        let piece: Arc<[u8]> = "x=1 y=2\r\n".repeat(2000).into_bytes().into();
        let mut sent = Vec::new();
        let reading = std::thread::spawn(move || {
            let mut all = Vec::new();
            second.write_all(b"zero\n").unwrap();
            second.read_to_end(&mut all).unwrap();
            all
        });
        let watching = std::thread::spawn(move || bytes_until(&first, b"the end\r\n"));
        // More than waits for one who takes nothing, given no faster than the others take it.
        for _ in 0..2400 {
            share.give(&piece);
            sent.extend_from_slice(&piece);
            std::thread::sleep(Duration::from_micros(400));
        }
        share.give(&Arc::from(&b"the end\r\n"[..]));
        sent.extend_from_slice(b"the end\r\n");
        let news: Vec<ShareNews> = share.news.try_iter().collect();
        let slow_at = slow.local_addr().unwrap();
        assert!(
            news.iter().any(|news| matches!(news, ShareNews::Slow(who, lost) if *who == slow_at && *lost > 0)),
            "{news:?}"
        );
        assert_eq!(share.sent.try_iter().collect::<Vec<_>>().concat(), if may_send { &b"zero\n"[..] } else { b"" });
        drop(share);
        assert!(reading.join().unwrap() == sent, "all of it, then the end");
        assert!(watching.join().unwrap() == sent);
    }
}
