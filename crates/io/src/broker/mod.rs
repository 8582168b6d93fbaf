//! Brokers (MQTT 5): a connection as a thread that says what happens, and messages as a source.
//!
//! The client is the crate `rumqttc`. A connection is used once: what was not acknowledged when it breaks is published again
//! over the next one by whoever wanted it published, in order.

mod access;
mod source;

pub(crate) use source::MessageStream;

use access::Access;
use amber_core::keep::BrokerAddress;
use amber_core::tail::visible;
use bytes::Bytes;
use rumqttc::TlsConfiguration;
use rumqttc::v5::mqttbytes::v5::{
    ConnectProperties, ConnectReturnCode, LastWill, Packet, PubAckReason, SubscribeReasonCode,
};
use rumqttc::v5::mqttbytes::{self, QoS};
use rumqttc::v5::{Client, Connection, ConnectionError, Event, MqttOptions, StateError};
use rumqttc::{NetworkOptions, Outgoing, Transport};
use std::time::Duration;

/// How often the broker is asked whether it is still there, when nothing else is said.
const KEEP_ALIVE: Duration = Duration::from_secs(10);

/// The longest that a connection may take to come about, in seconds.
const CONNECTING: u64 = 5;

/// The longest message that is taken.
const LONGEST: u32 = 1 << 20;

/// Messages that may be under way at once.
pub(crate) const WINDOW: u16 = 64;

/// Requests that may wait for the client's thread: those under way, and some that are not acknowledged.
const REQUESTS: usize = WINDOW as usize + 8;

/// What happens on a connection.
#[derive(Debug)]
pub(crate) enum Said {
    /// It is there; the broker takes packets up to this size.
    Open { longest: Option<u32> },
    /// The next of what was given to be published was sent, under this number.
    Sent(u16),
    /// The broker has what was sent under this number, or rejects it.
    Acknowledged { id: u16, rejected: Option<String> },
    /// The broker will send what matches, or says why not.
    Subscribed(Result<(), String>),
    /// A message came.
    Message { topic: Bytes, payload: Bytes },
    /// It broke, or did not come about; nothing else is said.
    Broken(String),
}

/// How a connection is to be made.
pub(crate) struct Wish {
    options: MqttOptions,
    is_readable: bool,
}

impl Wish {
    /// A connection to the broker of `address`, as the client `id`, whose session is kept for so many seconds.
    ///
    /// # Errors
    /// What is wrong with the credentials.
    pub(crate) fn new(address: &BrokerAddress, id: String, session: u32) -> Result<Wish, String> {
        let Access { user, password, tls } = access::access(address)?;
        let host = if tls.is_none() && address.host.contains(':') {
            // The client joins host and port.
            format!("[{}]", address.host)
        } else {
            address.host.clone()
        };
        let mut options = MqttOptions::new(id, host, address.port);
        options
            .set_keep_alive(KEEP_ALIVE)
            .set_connection_timeout(CONNECTING)
            .set_clean_start(session == 0)
            .set_outgoing_inflight_upper_limit(WINDOW)
            .set_connect_properties(ConnectProperties::new())
            .set_session_expiry_interval(Some(session))
            .set_max_packet_size(Some(LONGEST));
        let is_here = matches!(&*address.host, "localhost" | "::1") || address.host.starts_with("127.");
        let is_readable = !password.is_empty() && !address.tls && !is_here;
        // Messages leave at once: what is under way is waited for.
        let mut network = NetworkOptions::new();
        network.set_tcp_nodelay(true);
        options.set_network_options(network);
        if let Some(user) = user {
            options.set_credentials(user, password);
        }
        if let Some(tls) = tls {
            options.set_transport(Transport::Tls(TlsConfiguration::Rustls(tls)));
        }
        Ok(Wish { options, is_readable })
    }

    /// Whether a password goes over the network for everybody to read.
    pub(crate) fn is_readable(&self) -> bool {
        self.is_readable
    }

    /// What the broker publishes, as a message that is retained, when the connection breaks.
    pub(crate) fn will(&mut self, topic: &str, payload: String) {
        self.options.set_last_will(LastWill::new(topic, payload, QoS::AtLeastOnce, true, None));
    }

    /// Begins to connect; a thread gives `hear` what happens until that has enough or the connection breaks.
    ///
    /// # Errors
    /// When the system gives no thread.
    pub(crate) fn begin(&self, mut hear: impl FnMut(Said) -> bool + Send + 'static) -> std::io::Result<Client> {
        let (client, mut connection) = Client::new(self.options.clone(), REQUESTS);
        let watch = move || follow(&mut connection, &mut hear);
        std::thread::Builder::new().name("broker".into()).spawn(watch)?;
        Ok(client)
    }
}

fn follow(connection: &mut Connection, hear: &mut impl FnMut(Said) -> bool) {
    for event in connection.iter() {
        let said = match event {
            Ok(Event::Incoming(packet)) => match packet {
                Packet::ConnAck(ack) => {
                    let longest = ack.properties.as_ref().and_then(|properties| properties.max_packet_size);
                    Said::Open { longest }
                }
                Packet::PubAck(ack) => Said::Acknowledged { id: ack.pkid, rejected: rejected(ack.reason) },
                Packet::SubAck(ack) => Said::Subscribed(ack.return_codes.into_iter().try_for_each(subscribed)),
                Packet::Publish(message) => Said::Message { topic: message.topic, payload: message.payload },
                _ => continue,
            },
            Ok(Event::Outgoing(Outgoing::Publish(id))) => Said::Sent(id),
            Ok(Event::Outgoing(_)) => continue,
            Err(error) => Said::Broken(in_words(&error)),
        };
        let is_over = matches!(said, Said::Broken(_));
        if !hear(said) || is_over {
            return;
        }
    }
}

fn rejected(reason: PubAckReason) -> Option<String> {
    Some(match reason {
        PubAckReason::Success | PubAckReason::NoMatchingSubscribers => return None,
        PubAckReason::NotAuthorized => "this user may not publish there".into(),
        PubAckReason::QuotaExceeded => "the broker's quota is used up".into(),
        PubAckReason::TopicNameInvalid => "the broker does not take that topic".into(),
        other => format!("the broker says {other:?}"),
    })
}

fn subscribed(reason: SubscribeReasonCode) -> Result<(), String> {
    Err(match reason {
        SubscribeReasonCode::Success(_) => return Ok(()),
        SubscribeReasonCode::NotAuthorized => "this user may not read that topic".into(),
        SubscribeReasonCode::WildcardSubscriptionsNotSupported => "the broker takes no + and #".into(),
        SubscribeReasonCode::SharedSubscriptionsNotSupported => "the broker takes no $share".into(),
        other => format!("the broker says {other:?}"),
    })
}

/// Why a connection broke, for a person. Words of the broker's own are made harmless.
fn in_words(error: &ConnectionError) -> String {
    let refused = |code: &ConnectReturnCode| match code {
        ConnectReturnCode::BadUserNamePassword | ConnectReturnCode::NotAuthorized => {
            "it rejects the user or the password: see brokers.toml".to_owned()
        }
        ConnectReturnCode::RefusedProtocolVersion | ConnectReturnCode::UnsupportedProtocolVersion => {
            "it does not speak MQTT 5".into()
        }
        code => format!("it rejects the connection: {code:?}"),
    };
    match error {
        ConnectionError::ConnectionRefused(code)
        | ConnectionError::MqttState(StateError::ConnFail { reason: code }) => refused(code),
        ConnectionError::Timeout(_) => "no answer in time".into(),
        ConnectionError::MqttState(StateError::AwaitPingResp) => "it answers no more".into(),
        ConnectionError::MqttState(StateError::ServerDisconnect { reason_code, reason_string }) => {
            let why = reason_string.as_ref().map_or(String::new(), |why| format!(" ({})", visible(why.as_bytes())));
            format!("it ended the connection: {reason_code:?}{why}")
        }
        ConnectionError::MqttState(StateError::ConnectionAborted) => "it closed the connection".into(),
        ConnectionError::Io(error)
        | ConnectionError::MqttState(
            StateError::Io(error) | StateError::Deserialization(mqttbytes::Error::Io(error)),
        ) => with_remedy(&error.to_string()),
        ConnectionError::NotConnAck(_) | ConnectionError::MqttState(StateError::Deserialization(_)) => {
            "what answers there does not speak MQTT 5".into()
        }
        other => with_remedy(&other.to_string()),
    }
}

/// What the system, or the encryption, says of a connection, and what to do about it where that is known.
fn with_remedy(said: &str) -> String {
    let remedy = match said {
        said if said.contains("CertificateRequired") => "name a certificate and its key in brokers.toml",
        said if said.contains("UnknownIssuer") => "name who issued its certificate as ca in brokers.toml",
        said if said.contains("invalid peer certificate") => "check the host's name and its certificate",
        _ => return visible(said.as_bytes()),
    };
    format!("{}: {remedy}", visible(said.as_bytes()))
}

/// A name for this machine and `purpose` that stays the same and that no other machine has.
pub(crate) fn client_id(purpose: &str) -> String {
    let machine = rustix::system::uname().nodename().to_string_lossy().into_owned();
    let plain: String = machine.chars().filter(char::is_ascii_alphanumeric).take(12).collect();
    format!("amber-tap-{plain}-{}", short_name(&format!("{machine} {purpose}")))
}

/// Eight characters that stand for a text.
pub(crate) fn short_name(text: &str) -> String {
    format!("{:08x}", crc::Crc::<u32>::new(&crc::CRC_32_ISO_HDLC).checksum(text.as_bytes()))
}
