//! The command line.

use crate::commands::analyse::{block::BlockArgs, spectrum::SpectrumArgs, stats::StatsArgs};
use crate::commands::compare::CompareArgs;
use crate::commands::plot::{PlotArgs, ReportArgs};
use crate::commands::table::TableArgs;
use crate::commands::takes::TakesArgs;
use amber_core::keep::{BrokerAddress, Keep, Limit, Limits, Pace, Parts, Publish, Start, Topics, seconds};
use amber_core::split::Shape;
use clap::{Args, Parser, Subcommand};
use std::net::SocketAddr;
use std::path::PathBuf;
use std::sync::LazyLock;
use std::time::Duration;

/// The names of the simulated boards, as text.
pub(crate) fn board_names() -> String {
    amber_boards::BOARDS.map(|(name, _)| name).join(", ")
}

/// The simulated boards, each with what it does, a line each below `head`.
pub(crate) fn boards(head: &str) -> String {
    let line = |(name, what): &(&str, &str)| format!("  {name}: {what}");
    let lines: Vec<String> = amber_boards::BOARDS.iter().map(line).collect();
    format!("{head}\n{}", lines.join("\n"))
}

/// Watch, plot, smooth and log a board's readings in the terminal.
#[derive(Debug, Parser)]
#[command(name = "amber-tap", version, after_help = EXIT_CODES)]
pub(crate) struct Cli {
    /// Without a command, what can be watched is listed to choose from.
    #[command(subcommand)]
    pub(crate) command: Option<Command>,
}

const EXIT_CODES: &str = "Exit codes: 0 done, 1 something failed and was said, 2 the command line makes no sense, \
3 not a single row (log, split), 101 a fault of the program's own, 129, 130 or 143 a take that was to have a length was \
ended before it by a closed terminal, Ctrl-C or a request to end (it is kept).";

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Watch a simulated board, set up and ready: the wave flume, or another one.
    Demo {
        #[arg(default_value = "flume", help = format!("One of the simulated boards: {}", board_names()), long_help = boards("One of the simulated boards:"))]
        which: String,
        #[command(flatten)]
        files: Files,
    },
    /// Watch a serial port, a text file, standard input, an address on the network or a topic of a broker.
    Watch {
        /// A port such as /dev/ttyACM0, a text file, - for standard input, tcp://HOST:PORT, rfc2217://HOST:PORT, udp://:PORT,
        /// mqtt://HOST/TOPIC, or a simulated board; several are watched side by side, NAME=PORT names one [default: the bench's].
        ports: Vec<String>,
        /// Bits a second on the wire [default: as the bench says, else found by listening].
        #[arg(long)]
        baud: Option<u32>,
        #[command(flatten)]
        files: Files,
    },
    /// Watch with a bench: a file, or the name of one that is here or was used lately.
    Bench {
        /// NAME for NAME.bench.toml, or a path.
        name: String,
        /// Where takes and figures go.
        #[arg(long, value_name = "DIR", default_value = ".")]
        into: PathBuf,
        #[command(flatten)]
        publish: PublishArgs,
    },
    /// Open a take on the same screen, or a file that another program wrote.
    Open {
        /// The take's folder, or a file: text, delimited or not, or WAV.
        take: PathBuf,
        /// Settings to see it with, instead of those it was made with.
        #[arg(long, value_name = "FILE")]
        bench: Option<PathBuf>,
    },
    /// Make a take without a screen, and print a short summary.
    Log {
        /// The port's path, an address such as tcp://HOST:PORT or mqtt://HOST/TOPIC, or the name of a simulated board.
        source: String,
        /// End after this time: 500ms, 10s, 5min, 2h.
        #[arg(long = "for", value_name = "TIME", value_parser = duration)]
        length: Option<Duration>,
        /// End after so many rows.
        #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..))]
        rows: Option<u64>,
        /// Bits a second on the wire [default: as the bench says, else found by listening].
        #[arg(long)]
        baud: Option<u32>,
        /// Settings: shape, scales.
        #[arg(long, value_name = "FILE")]
        bench: Option<PathBuf>,
        /// The take's folder, which must be new or empty [default: the next take-NNNN here].
        #[arg(long, value_name = "DIR")]
        out: Option<PathBuf>,
        /// Let the bench's conditions send their lines to the board; without this they are only counted.
        #[arg(long)]
        arm: bool,
        #[command(flatten)]
        plan: Plan,
        #[command(flatten)]
        publish: PublishArgs,
    },
    /// Offer the bytes of a source on a TCP port, for others to watch as tcp://HOST:PORT; without a screen, until Ctrl-C.
    Share {
        /// The port's path, an address such as tcp://HOST:PORT or mqtt://HOST/TOPIC, or the name of a simulated board.
        source: String,
        /// Where to listen; with another address of this machine than 127.0.0.1, other machines can connect.
        #[arg(long, value_name = "ADDRESS:PORT", default_value = "127.0.0.1:4077")]
        listen: SocketAddr,
        /// Let clients send to the board.
        #[arg(long)]
        may_send: bool,
        /// Bits a second on the wire [default: found by listening].
        #[arg(long)]
        baud: Option<u32>,
    },
    /// List the takes in a folder as CSV, without a screen.
    Takes(TakesArgs),
    /// Write the rows of a take or a file as CSV, JSON Lines, VCD or WAV, without a screen.
    Table(TableArgs),
    /// Draw a take or a file as SVG or PDF, without a screen.
    Plot(PlotArgs),
    /// Write a report on a take or a file as Markdown or PDF, without a screen.
    Report(ReportArgs),
    /// Lay takes or files over one another, without a screen: statistics side by side, differences, a figure.
    Compare(CompareArgs),
    /// Say what is torn or missing in a take's files, and mend it when you agree; a copy of each is kept.
    Mend {
        /// The take's folder.
        take: PathBuf,
        /// Mend without asking.
        #[arg(long)]
        yes: bool,
    },
    /// Split text into rows, without a screen: the rows as CSV, a sentence about their shape on standard error.
    Split {
        /// The file; - is standard input.
        file: PathBuf,
        /// One JSON document instead: shape, channels, rows, messages, rejected lines by reason.
        #[arg(long)]
        json: bool,
        /// The shape, instead of finding it: 'plain comma 3', 'plain spaces 1 lines 2', 'labelled a b', 'worded a b',
        /// 'per-line x y', 'json a.b c', 'pattern S,{a},{b}'; '...' behind names that need not all be there.
        #[arg(long, value_name = "SHAPE")]
        shape: Option<Shape>,
    },
    /// List the settled stretches of a channel as CSV, without a screen.
    Levels {
        /// A take's folder, or a text file.
        #[arg(value_name = "TAKE|FILE")]
        source: PathBuf,
        /// The channel, by its name; SOURCE.NAME in a take of several.
        #[arg(long, value_name = "NAME")]
        channel: String,
        /// The shortest stretch that counts: 500ms, 2s [default: as the bench says, 1s].
        #[arg(long, value_name = "TIME", value_parser = duration)]
        shortest: Option<Duration>,
        /// By how much more than its noise a settled channel may move [default: as the bench says, 1].
        #[arg(long, value_name = "FACTOR")]
        allowed_spread: Option<f64>,
        /// Settings to see it with: shape, scales, formulas.
        #[arg(long, value_name = "FILE")]
        bench: Option<PathBuf>,
    },
    /// List the events of a bench's conditions as CSV, without a screen.
    Events {
        /// A take's folder, or a text file.
        #[arg(value_name = "TAKE|FILE")]
        source: PathBuf,
        /// The conditions, with all other settings, instead of those that the take was made with.
        #[arg(long, value_name = "FILE")]
        bench: Option<PathBuf>,
    },
    /// Say what the channels of a stretch amount to, without a screen: mean, deviation, RMS, slope, effective bits.
    Stats(StatsArgs),
    /// The spectrum of a channel as CSV, without a screen; what stands out is said on standard error.
    Spectrum(SpectrumArgs),
    /// The last rows of a stretch as CSV, evenly indexed, or a named block of a take.
    Block(BlockArgs),
    /// Work a formula out and print its value, or where it is wrong.
    #[command(after_help = FUNCTIONS.as_str())]
    Calc {
        /// As for a computed channel: 'sqrt(x^2 + y^2)'.
        #[arg(allow_hyphen_values = true)]
        formula: String,
        /// Values for the names in it; x=gap is a gap.
        #[arg(value_name = "NAME=VALUE", allow_negative_numbers = true)]
        values: Vec<String>,
    },
    /// Serve a simulated board or a take alone and print its device, for any program to open
    Board {
        #[arg(value_name = "NAME|TAKE", help = format!("A take's folder, or one of the simulated boards: {}", board_names()), long_help = boards("A take's folder, or one of the simulated boards:"))]
        name: String,
        /// Binary frames instead of text, from a board that can send them: chime.
        #[arg(long)]
        binary: bool,
        /// Where the randomness of a simulated board starts.
        #[arg(long, default_value_t = 1)]
        seed: u64,
        /// Send a take so many times faster than it was recorded.
        #[arg(long, default_value_t = 1.0, value_name = "TIMES")]
        speed: f64,
        /// Send a take again and again.
        #[arg(long)]
        repeat: bool,
    },
    /// Print what a shell needs to complete this program's commands.
    Completions {
        /// The shell.
        shell: clap_complete::Shell,
    },
    /// Print the manual page.
    Man,
}

#[derive(Debug, Default, Args)]
pub(crate) struct Files {
    /// Settings to start with; saving goes there too. It need not exist yet.
    #[arg(long, value_name = "FILE")]
    pub(crate) bench: Option<PathBuf>,
    /// Where takes and figures go.
    #[arg(long, value_name = "DIR", default_value = ".")]
    pub(crate) into: PathBuf,
    #[command(flatten)]
    pub(crate) publish: PublishArgs,
}

/// Whether rows are published from the start, and what of the bench's plan for that is set otherwise.
#[derive(Debug, Default, Args)]
pub(crate) struct PublishArgs {
    /// Publish the rows at a broker (MQTT 5), below a topic: mqtt://HOST/TOPIC, or mqtts:// for an encrypted connection
    /// [default: as the bench says].
    #[arg(long, value_name = "ADDRESS", value_parser = broker)]
    pub(crate) publish: Option<Option<BrokerAddress>>,
    /// Which rows are published: 'every 10', '1 s', '1 s last mean' [default: as the bench says, else every row].
    #[arg(long, value_name = "PACE", requires = "publish")]
    pub(crate) publish_pace: Option<Pace>,
    /// How they are parted into messages: rows (a message a row) or values (a topic for each channel) [default: as the bench
    /// says, else rows].
    #[arg(long, value_name = "WHAT", requires = "publish")]
    pub(crate) publish_topics: Option<Topics>,
}

impl PublishArgs {
    /// Puts what is given into the plan of a bench; gives whether rows are to be published.
    pub(crate) fn apply(self, plan: &mut Publish) -> bool {
        let Some(address) = self.publish else { return false };
        plan.to = address.or(plan.to.take());
        plan.rows = self.publish_pace.unwrap_or(std::mem::take(&mut plan.rows));
        plan.topics = self.publish_topics.unwrap_or(plan.topics);
        true
    }
}

/// An address to publish to.
fn broker(text: &str) -> Result<BrokerAddress, String> {
    let address: BrokerAddress = text.parse()?;
    address.publishing_fault().map_or(Ok(address), |fault| Err(fault.to_owned()))
}

/// What of the bench's plan for takes is set otherwise.
#[derive(Debug, Default, Args)]
pub(crate) struct Plan {
    /// The channels that have columns; may be given several times [default: as the bench says, else all].
    #[arg(long, value_name = "NAME")]
    pub(crate) channel: Vec<String>,
    /// Which rows go into the table: 'every 10', '1 s', '1 s last mean' [default: as the bench says, else every row].
    #[arg(long)]
    pub(crate) pace: Option<Pace>,
    /// What starts the take: 'in 10 s', 'at 14:30', 'on CONDITION' [default: as the bench says, else at once].
    #[arg(long)]
    pub(crate) start: Option<Start>,
    /// When its files are ended and the next ones begun: '8 h', '10 MB' [default: as the bench says, else never].
    #[arg(long)]
    pub(crate) parts: Option<Parts>,
}

impl Plan {
    /// Puts what is given into the plan of a bench; a length that is given, in rows or as a time, takes the place of what ends
    /// the take there.
    pub(crate) fn apply(self, keep: &mut Keep, rows: Option<u64>, has_length: bool) {
        if rows.is_some() || has_length {
            keep.stop = Limits(rows.map(Limit::Rows).into_iter().collect());
        }
        if !self.channel.is_empty() {
            keep.channels = self.channel;
        }
        keep.pace = self.pace.unwrap_or(std::mem::take(&mut keep.pace));
        keep.start = self.start.unwrap_or(std::mem::take(&mut keep.start));
        keep.parts = self.parts.unwrap_or(keep.parts);
    }
}

/// All that a formula can call.
static FUNCTIONS: LazyLock<String> = LazyLock::new(|| {
    let lines = amber_core::formula::FUNCTIONS.iter().map(|help| format!("  {:<20}{}\n", help.usage, help.gives));
    format!(
        "Operators, from loose to tight: ?: or and not, < <= == != >= >, + -, * / %, the sign, ^.\nNames in quotes may \
         hold anything. Also: pi, e, tau, and time, the seconds since the first row.\n\n{}",
        lines.collect::<String>()
    )
});

/// A time with its unit.
fn duration(text: &str) -> Result<Duration, String> {
    seconds(text).map(Duration::from_secs_f64)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_have_units() {
        let ms = |text| duration(text).map(|d| d.as_millis());
        assert_eq!(
            [ms("10s"), ms("500ms"), ms("1.5min"), ms("2 h"), ms("3")],
            [Ok(10_000), Ok(500), Ok(90_000), Ok(7_200_000), Ok(3000)]
        );
        assert!(ms("10 parsecs").unwrap_err().contains("not a unit of time"));
        assert!(ms("-1s").is_err() && ms("s").is_err());
    }

    #[test]
    fn the_command_line_holds_together() {
        use clap::CommandFactory;
        Cli::command().debug_assert();
    }
}
