//! A real broker, mosquitto, on a port of its own, and somebody who keeps all that is published there.

use rumqttc::v5::mqttbytes::QoS;
use rumqttc::v5::mqttbytes::v5::{ConnectProperties, Packet};
use rumqttc::v5::{Client, Event, MqttOptions};
use std::net::{TcpListener, TcpStream};
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

/// A broker, ended when dropped.
pub(crate) struct Broker {
    pub(crate) port: u16,
    folder: tempfile::TempDir,
    process: Option<Child>,
}

impl Broker {
    /// A port and a folder; nobody listens there yet. `settings` are lines of the broker's configuration, in which `DIR` stands
    /// for the folder.
    pub(crate) fn prepare(settings: &str) -> Broker {
        let port = TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port();
        let folder = tempfile::tempdir().unwrap();
        let dir = folder.path().display().to_string();
        // Sessions outlive the broker when it is ended; whoever runs the tests owns its files.
        let text = format!(
            "user {}\npersistence true\npersistence_location {dir}/\nmax_queued_messages 0\nlistener {port} 127.0.0.1\n{}\n",
            std::env::var("USER").unwrap_or_else(|_| "root".into()),
            settings.replace("DIR", &dir)
        );
        std::fs::write(folder.path().join("broker.conf"), text).unwrap();
        Broker { port, folder, process: None }
    }

    /// One that everybody may use.
    pub(crate) fn start() -> Broker {
        let mut broker = Broker::prepare("allow_anonymous true");
        broker.run();
        broker
    }

    pub(crate) fn folder(&self) -> &Path {
        self.folder.path()
    }

    pub(crate) fn address(&self, topic: &str) -> String {
        format!("mqtt://127.0.0.1:{}/{topic}", self.port)
    }

    /// Starts it, and waits until it listens.
    pub(crate) fn run(&mut self) {
        let path = format!("{}:/usr/sbin", std::env::var("PATH").unwrap_or_default());
        let process = Command::new("mosquitto")
            .env("PATH", path)
            .arg("-c")
            .arg(self.folder.path().join("broker.conf"))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .expect("mosquitto is not installed");
        self.process = Some(process);
        let begun = Instant::now();
        while TcpStream::connect(("127.0.0.1", self.port)).is_err() {
            assert!(begun.elapsed() < Duration::from_secs(20), "the broker does not listen");
            std::thread::sleep(Duration::from_millis(20));
        }
    }

    /// Ends it; it writes its sessions down.
    pub(crate) fn end(&mut self) {
        if let Some(mut process) = self.process.take() {
            let pid = rustix::process::Pid::from_child(&process);
            let _ = rustix::process::kill_process(pid, rustix::process::Signal::TERM);
            process.wait().unwrap();
        }
    }
}

impl Drop for Broker {
    fn drop(&mut self) {
        self.end();
    }
}

/// Keeps what is published under a filter, whatever becomes of the broker: its session stays.
pub(crate) struct Store {
    got: Arc<Mutex<Vec<(String, String)>>>,
    pub(crate) client: Client,
    over: Arc<AtomicBool>,
}

impl Store {
    /// Waits until the broker sends it all that matches `filter`.
    pub(crate) fn of(broker: &Broker, filter: &str) -> Store {
        let mut options = MqttOptions::new("store", "127.0.0.1", broker.port);
        options
            .set_clean_start(false)
            .set_keep_alive(Duration::from_secs(5))
            .set_connect_properties(ConnectProperties::new())
            .set_session_expiry_interval(Some(3600));
        let (client, mut connection) = Client::new(options, 64);
        client.subscribe(filter, QoS::AtLeastOnce).unwrap();
        let (got, over) = (Arc::new(Mutex::new(Vec::new())), Arc::new(AtomicBool::new(false)));
        let is_ready = Arc::new(AtomicBool::new(false));
        let (got_too, over_too, ready_too) = (Arc::clone(&got), Arc::clone(&over), Arc::clone(&is_ready));
        std::thread::spawn(move || {
            for event in connection.iter() {
                match event {
                    _ if over_too.load(Ordering::Relaxed) => return,
                    Ok(Event::Incoming(Packet::SubAck(_))) => ready_too.store(true, Ordering::Relaxed),
                    Ok(Event::Incoming(Packet::Publish(message))) => {
                        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
                        got_too.lock().unwrap().push((text(&message.topic), text(&message.payload)));
                    }
                    Ok(_) => {}
                    Err(_) => std::thread::sleep(Duration::from_millis(50)),
                }
            }
        });
        let begun = Instant::now();
        while !is_ready.load(Ordering::Relaxed) {
            assert!(begun.elapsed() < Duration::from_secs(20), "nobody may subscribe to {filter}");
            std::thread::sleep(Duration::from_millis(20));
        }
        Store { got, client, over }
    }

    /// What came, each with its topic.
    pub(crate) fn got(&self) -> Vec<(String, String)> {
        self.got.lock().unwrap().clone()
    }

    /// Waits until what came is enough.
    pub(crate) fn wait(&self, what: &str, is_enough: impl Fn(&[(String, String)]) -> bool) -> Vec<(String, String)> {
        let begun = Instant::now();
        loop {
            let got = self.got();
            if is_enough(&got) {
                return got;
            }
            assert!(begun.elapsed() < Duration::from_secs(60), "{what}: {} came", got.len());
            std::thread::sleep(Duration::from_millis(50));
        }
    }
}

impl Drop for Store {
    fn drop(&mut self) {
        self.over.store(true, Ordering::Relaxed);
        let _ = self.client.try_disconnect();
    }
}
