//! `spectrum`: which frequencies are in a channel.

use super::{number, plain, whole};
use crate::commands::stretch::{Part, Stretch, channel, even, only_analog};
use crate::figure::{self, analysis};
use crate::print::{aside, printed};
use amber_core::digits::{counted, duration, fixed, hertz, short, with_unit};
use amber_core::spectrum::even::Even;
use amber_core::spectrum::follow::Follows;
use amber_core::spectrum::peaks::{self, Peak, Peaks};
use amber_core::spectrum::period::Period;
use amber_core::spectrum::waterfall::{Line, Waterfall};
use amber_core::spectrum::{LONGEST, Maker, Recipe, SHORTEST, Spectrum, Window, names};
use amber_core::stats::Noise;
use anyhow::bail;
use clap::{Args, ValueEnum};
use serde_json::{Value, json};
use std::io;
use std::ops::Range;
use std::path::PathBuf;

/// Lines of a waterfall in a figure.
const LINES: usize = 120;

#[derive(Debug, Args)]
pub(crate) struct SpectrumArgs {
    #[command(flatten)]
    pub(crate) stretch: Stretch,
    /// The channel, by its name [default: the only analog one].
    #[arg(long, value_name = "NAME")]
    pub(crate) channel: Option<String>,
    /// The window.
    #[arg(long, value_enum, default_value_t = WindowArg::Hann)]
    pub(crate) window: WindowArg,
    /// Rows of each part that is averaged, 16 to 262144.
    #[arg(long, value_name = "ROWS", default_value_t = 1024, value_parser = clap::value_parser!(u32).range(SHORTEST as i64..=LONGEST as i64))]
    pub(crate) length: u32,
    /// Of what leaves the channel's filters, rather than of what goes into them.
    #[arg(long)]
    pub(crate) smoothed: bool,
    /// Only the peaks.
    #[arg(long)]
    pub(crate) peaks: bool,
    /// Say by how much this channel follows.
    #[arg(long, value_name = "NAME")]
    pub(crate) follows: Option<String>,
    /// One JSON document instead of CSV.
    #[arg(long)]
    pub(crate) json: bool,
    /// Also draw it, with a waterfall: a name that ends in .svg or .pdf.
    #[arg(long, value_name = "FILE")]
    pub(crate) out: Option<PathBuf>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum WindowArg {
    Hann,
    FlatTop,
    Rectangular,
    BlackmanHarris,
}

impl WindowArg {
    fn window(self) -> Window {
        match self {
            WindowArg::Hann => Window::Hann,
            WindowArg::FlatTop => Window::FlatTop,
            WindowArg::Rectangular => Window::Rectangular,
            WindowArg::BlackmanHarris => Window::BlackmanHarris,
        }
    }
}

/// A spectrum and what was found in it.
struct Analysed<'a> {
    title: &'a str,
    unit: &'a str,
    even: Even,
    found: Spectrum,
    peaks: Peaks,
    period: Option<Period>,
    follows: Option<(&'a str, Follows)>,
}

/// Prints the spectrum of a channel.
pub(in crate::commands) fn spectrum(args: &SpectrumArgs) -> anyhow::Result<u8> {
    let parts = args.stretch.open()?;
    let (place, index) = match &args.channel {
        Some(name) => channel(&parts, &args.stretch.source, name)?,
        None => only_analog(&parts)?,
    };
    let part = &parts[place];
    let chain = &part.1.0;
    let own = &chain.channels()[index];
    let rows = args.stretch.rows(part);
    let even = even(chain, own, rows.clone(), args.smoothed)?;
    let mut maker = Maker::default();
    let recipe = Recipe { window: args.window.window(), length: args.length as usize };
    let Some(found) = maker.spectrum(&even.values, even.rate, recipe) else {
        bail!("there is no spectrum of these rows")
    };
    let follows = match &args.follows {
        Some(name) => {
            let (other, theirs) = channel(&parts, &args.stretch.source, name)?;
            if other != place {
                bail!("both channels must be of one source");
            }
            let theirs = self::even(chain, &chain.channels()[theirs], rows.clone(), args.smoothed)?;
            if theirs.begin != even.begin || theirs.values.len() != even.values.len() {
                bail!("{name} has gaps elsewhere than {}: choose a stretch without them", own.title());
            }
            let follows = maker.follows(&even.values, &theirs.values, even.rate);
            let Some(follows) = follows else { bail!("one of the channels does not move") };
            Some((name.as_str(), follows))
        }
        None => None,
    };
    let all = Analysed {
        title: own.title(),
        unit: own.settings().scale.unit(),
        peaks: peaks::find(&found),
        period: period(&even),
        even,
        found,
        follows,
    };
    if args.json {
        whole(&all.document(args.peaks), "the spectrum")?;
    } else {
        printed(all.print(args.peaks), "the spectrum")?;
        all.tell();
        if let Some((name, follows)) = &all.follows {
            aside(format_args!("{}", follows.told(all.title, name, None)));
        }
    }
    if let Some(out) = &args.out {
        let (waterfall, hop) = waterfall(args, part, index, rows, &mut maker, recipe, all.even.rate);
        let lines: Vec<&Line> = waterfall.lines().collect();
        figure::write_as(&analysis::spectrum(&args.stretch.of(own, index), &all.found, &all.peaks, &lines, hop), out)?;
    }
    Ok(0)
}

/// The period by crossings that stand out of the noise.
fn period(even: &Even) -> Option<Period> {
    let mut noise = Noise::default();
    even.values.iter().for_each(|value| noise.push(*value));
    even.period(noise.deviation().unwrap_or(0.0))
}

impl Analysed<'_> {
    /// The mains by whose name a peak goes.
    fn mains(&self, peak: &Peak) -> Option<String> {
        names::mains(peak.hertz, self.found.rate, self.found.resolution())
    }

    fn document(&self, only_peaks: bool) -> Value {
        let (found, peaks, even) = (&self.found, &self.peaks, &self.even);
        let peak = |peak: &Peak| {
            json!({
                "hertz": number(peak.hertz),
                "amplitude": number(peak.amplitude),
                "harmonic": peak.harmonic,
                "name": self.mains(peak),
            })
        };
        json!({
            "format": 1,
            "channel": self.title,
            "unit": self.unit,
            "rows_per_s": number(found.rate),
            "rows_made_even": even.told(),
            "jitter": number(even.jitter),
            "window": found.window.name(),
            "length": found.length,
            "averaged": found.parts,
            "resolution_hz": number(found.resolution()),
            "peaks": peaks.found.iter().map(peak).collect::<Vec<_>>(),
            "harmonic_distortion": peaks.distortion.map(number),
            "noise_floor_per_root_hz": number(peaks.floor),
            "noise_deviation": number(peaks.noise),
            "period_s": self.period.as_ref().map(|period| number(period.seconds)),
            "follows": self.follows.as_ref().map(|(name, follows)| json!({
                "channel": name,
                "seconds": number(follows.seconds),
                "correlation": number(follows.correlation),
                "also_fits_s": follows.rivals.iter().map(|seconds| number(*seconds)).collect::<Vec<_>>(),
            })),
            "amplitudes": if only_peaks {
                Value::Null
            } else {
                found.amplitudes.iter().map(|amplitude| number(*amplitude)).collect()
            },
        })
    }

    /// Prints the amplitudes, or the peaks, as CSV.
    fn print(&self, only_peaks: bool) -> io::Result<()> {
        let found = &self.found;
        let mut out = csv::Writer::from_writer(io::stdout().lock());
        if only_peaks {
            out.write_record(["hertz", "amplitude", "harmonic", "name"])?;
            for peak in &self.peaks.found {
                let name = self.mains(peak).unwrap_or_default();
                let harmonic = peak.harmonic.map_or(String::new(), |n| n.to_string());
                out.write_record([plain(peak.hertz), plain(peak.amplitude), harmonic, name])?;
            }
        } else {
            out.write_record(["hertz", "amplitude", "density"])?;
            let density = found.to_density();
            for (bin, amplitude) in found.amplitudes.iter().enumerate() {
                out.write_record([plain(found.hertz(bin)), plain(*amplitude), plain(amplitude * density)])?;
            }
        }
        out.flush()
    }

    /// What there is to say of it, on standard error.
    fn tell(&self) {
        let (found, peaks) = (&self.found, &self.peaks);
        aside(format_args!(
            "{}: {} rows/s, {} of {} rows, {} apart; {}",
            self.title,
            short(found.rate, 5),
            counted(found.parts as u64, "part"),
            found.length,
            hertz(found.resolution()),
            self.even.told()
        ));
        match peaks.found.first() {
            None => aside(format_args!("nothing stands out of the noise")),
            Some(peak) => {
                let [one, two] = names::others(peak.hertz, found.rate).map(hertz);
                let name = self.mains(peak).map_or(String::new(), |name| format!(" ({name})"));
                aside(format_args!(
                    "largest at {}{name}: {}, harmonic distortion {} %; at {} rows/s {one} and {two} would also appear there",
                    hertz(peak.hertz),
                    with_unit(short(peak.amplitude, 4), self.unit),
                    short(100.0 * peaks.distortion.unwrap_or(0.0), 2),
                    short(found.rate, 4)
                ));
            }
        }
        if let Some(period) = &self.period {
            let varies = if period.varies() >= 0.01 {
                format!(", varying by {} %", fixed(100.0 * period.varies(), 0))
            } else {
                String::new()
            };
            aside(format_args!("by crossings: {}, every {}{varies}", hertz(period.hertz()), duration(period.seconds)));
        }
    }
}

/// The waterfall of a stretch, and the seconds between its lines.
fn waterfall(
    args: &SpectrumArgs,
    part: &Part,
    index: usize,
    rows: Range<u64>,
    maker: &mut Maker,
    recipe: Recipe,
    rate: f64,
) -> (Waterfall, f64) {
    let chain = &part.1.0;
    let own = &chain.channels()[index];
    let series = if args.smoothed { own.output() } else { own.scaled() };
    let recipe = Recipe { length: (recipe.length / 4).max(64), ..recipe };
    let seconds = (rows.end - rows.start) as f64 / rate;
    let hop = (seconds / LINES as f64).max(recipe.length as f64 / 4.0 / rate).max(0.001);
    let end = rows.end.checked_sub(1).and_then(|last| chain.store().time(last)).unwrap_or_default();
    let mut falls = Waterfall::default();
    let lines = ((seconds / hop) as usize).clamp(1, LINES);
    falls.follow(maker, recipe, hop, (end, lines), usize::MAX, |until, count| {
        let end = chain.store().first_at(until).clamp(rows.start, rows.end);
        let stretch = end.saturating_sub(count as u64).max(rows.start)..end;
        let mut times = Vec::new();
        chain.store().read_times(stretch.clone(), &mut times);
        (times, stretch.map(|row| series.get(row).unwrap_or(f64::NAN)).collect())
    });
    (falls, hop)
}
