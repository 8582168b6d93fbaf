use super::even::Even;
use super::follow::Follows;
use super::period::Period;
use super::waterfall::Waterfall;
use super::*;
use crate::Stamp;
use crate::chance::Chance;

fn at(seconds: f64) -> Stamp {
    Stamp::default().plus(seconds)
}

fn wave(rows: usize, rate: f64, parts: &[(f64, f64)]) -> Vec<f64> {
    let value = |row: usize| parts.iter().map(|(hertz, size)| size * (TAU * hertz * row as f64 / rate).sin()).sum();
    (0..rows).map(value).collect()
}

fn wave_at(row: usize, hertz: f64, size: f64) -> f64 {
    size * (TAU * hertz * row as f64 / 100.0).sin()
}

#[test]
fn peaks_have_their_frequency_amplitude_and_harmonics_and_noise_makes_none() {
    let (rate, mut maker) = (100.0, Maker::default());
    let mut chance = Chance(3);
    let mut values = wave(8192, rate, &[(3.137, 20.0), (6.274, 2.0), (9.411, 1.0), (31.0, 0.5)]);
    values.iter_mut().for_each(|value| *value += 100.0 + 0.3 * chance.gauss());
    for window in Window::ALL {
        let spectrum = maker.spectrum(&values, rate, Recipe { window, length: 2048 }).unwrap();
        let peaks = peaks::find(&spectrum);
        let [first, second, third] = [1, 2, 3].map(|n| peaks.found.iter().find(|peak| peak.harmonic == Some(n)));
        let first = first.unwrap();
        assert!((first.hertz - 3.137).abs() < 0.002 && (first.amplitude - 20.0).abs() < 0.1, "{window:?} {first:?}");
        if window == Window::Rectangular {
            // What leaks out of the large wave hides the small ones.
            continue;
        }
        assert!((second.unwrap().amplitude - 2.0).abs() < 0.05 && (third.unwrap().amplitude - 1.0).abs() < 0.05);
        assert!(peaks.found.iter().any(|peak| (peak.hertz - 31.0).abs() < 0.01 && peak.harmonic.is_none()));
        assert_eq!(peaks.found.len(), 4, "{window:?} {peaks:?}");
        assert!((peaks.distortion.unwrap() - 5f64.sqrt() / 20.0).abs() < 0.003, "{peaks:?}");
        assert!((peaks.noise - 0.3).abs() < 0.02, "{window:?}: {}", peaks.noise);
    }
    let mut false_peaks = 0;
    for seed in 0..100 {
        let mut chance = Chance(seed);
        let noise: Vec<f64> = (0..4096).map(|_| chance.gauss()).collect();
        for length in [512, 4096] {
            let spectrum = maker.spectrum(&noise, rate, Recipe { length, ..Recipe::default() }).unwrap();
            false_peaks += peaks::find(&spectrum).found.len();
        }
    }
    assert!(false_peaks <= 6, "{false_peaks} peaks in 200 spectra of noise, at most about 1 in 100 each");
}

#[test]
fn what_repeats_has_its_period_as_fundamental_and_all_harmonics_count() {
    let mut maker = Maker::default();
    let mut of = |value: &dyn Fn(usize) -> f64, length| {
        let values: Vec<f64> = (0..4096).map(value).collect();
        peaks::find(&maker.spectrum(&values, 100.0, Recipe { length, ..Recipe::default() }).unwrap())
    };
    // Pulses have many harmonics of one size, more than are listed; nine of them count as distortion.
    let pulses = of(&|row| if row % 100 == 50 { 500.0 } else { 0.0 }, 4096);
    let fundamental = pulses.found.iter().find(|peak| peak.harmonic == Some(1)).unwrap_or(&pulses.found[0]);
    assert!(pulses.found.iter().all(|peak| (peak.hertz - peak.hertz.round()).abs() < 0.01), "{pulses:?}");
    assert!((pulses.distortion.unwrap() - 3.0).abs() < 0.1, "{fundamental:?} {:?}", pulses.distortion);
    let highest = pulses.found.iter().filter_map(|peak| peak.harmonic.map(|n| (n, peak.hertz)));
    assert!(highest.clone().all(|(n, hertz)| (f64::from(n) - hertz).abs() < 0.01), "{:?}", highest.collect::<Vec<_>>());
    // A square wave has the odd ones: 1 / n of the first, here to the ninth.
    let square = of(&|row| if row / 25 % 2 == 0 { 1.0 } else { 0.0 }, 2048);
    let odd: f64 = [3.0, 5.0, 7.0, 9.0].map(|n: f64| 1.0 / (n * n)).iter().sum();
    assert!((square.distortion.unwrap() - odd.sqrt()).abs() < 0.02, "{:?}", square.distortion);
    // Row for row up and down is half the rate, once and at its own size.
    let alternating = of(&|row| if row % 2 == 0 { 3.0 } else { -1.0 }, 1000);
    let [only] = alternating.found[..] else { panic!("{:?}", alternating.found) };
    assert!(only.hertz == 50.0 && (only.amplitude - 2.0).abs() < 1e-9, "{only:?}");
    // Close to four times a frequency is a wave of its own.
    let beside = of(&|row| wave_at(row, 3.0, 20.0) + wave_at(row, 12.0 + 0.4 * 100.0 / 2048.0, 5.0), 2048);
    assert_eq!((beside.found[1].harmonic, beside.distortion), (None, Some(0.0)), "{:?}", beside.found);
    let on_top = of(&|row| wave_at(row, 3.0, 20.0) + wave_at(row, 12.0, 5.0), 2048);
    assert_eq!(on_top.found[1].harmonic, Some(4), "{:?}", on_top.found);
}

#[test]
fn uneven_rows_are_made_even_and_it_is_said_what_that_costs() {
    let mut chance = Chance(5);
    let value = |t: f64| 10.0 + 3.0 * (TAU * 2.0 * t).sin();
    let mut time = 0.0;
    let rows: Vec<(f64, f64)> = (0..2000)
        .map(|_| {
            time += 0.01 * (0.8 + 0.4 * chance.share());
            (time, value(time))
        })
        .collect();
    let made = |rows: &[(f64, f64)]| {
        let times: Vec<Stamp> = rows.iter().map(|row| at(row.0)).collect();
        Even::of(&times, &rows.iter().map(|row| row.1).collect::<Vec<f64>>())
    };
    let even = made(&rows).unwrap();
    assert!(even.is_resampled && (even.jitter - 0.4 / 12f64.sqrt()).abs() < 0.02, "{}", even.told());
    let spectrum = Maker::default().spectrum(&even.values, even.rate, Recipe::default()).unwrap();
    let peak = peaks::find(&spectrum).found[0];
    assert!((peak.hertz - 2.0).abs() < 0.001 && (peak.amplitude - 3.0).abs() < 0.03, "{peak:?}");
    assert!(even.left_of_wave(2.0) > 0.98 && even.left_of_wave(even.rate / 2.0) < 0.1, "{}", even.told());
    // A missing row, a gap, a pause.
    let even_rows: Vec<(f64, f64)> = (0..500).map(|i| (f64::from(i) * 0.01, value(f64::from(i) * 0.01))).collect();
    assert!(!made(&even_rows).unwrap().is_resampled);
    let mut holed = even_rows.clone();
    holed.remove(300);
    holed[200].1 = f64::NAN;
    let holed = made(&holed).unwrap();
    assert_eq!((holed.filled, holed.values.len(), holed.left_out), (2, 500, 0));
    assert!((holed.values[300] - even_rows[300].1).abs() < 0.01);
    let mut paused = even_rows;
    paused[100..].iter_mut().for_each(|row| row.0 += 3.0);
    let paused = made(&paused).unwrap();
    assert_eq!((paused.values.len(), paused.left_out), (400, 100));
    // One row of ten is lost, at random: all that is left counts, and a wave is found.
    let whole: Vec<(f64, f64)> = (0..7200).map(|i| (f64::from(i) * 0.01, value(f64::from(i) * 0.01))).collect();
    let lossy: Vec<(f64, f64)> = whole.iter().copied().filter(|_| chance.share() > 0.1).collect();
    let even = made(&lossy).unwrap();
    assert!(
        even.left_out == 0 && even.filled + lossy.len() == even.values.len() && even.filled > 600,
        "{}",
        even.told()
    );
    let peak = peaks::find(&Maker::default().spectrum(&even.values, even.rate, Recipe::default()).unwrap()).found[0];
    assert!((peak.hertz - 2.0).abs() < 0.001 && (peak.amplitude - 3.0).abs() < 0.03, "{peak:?}");
    // On a grid: a gap at the beginning, three rows that are missing, and a pause.
    let times: Vec<Stamp> = (0..300).map(|i| at(f64::from(i) * 0.01 + if i < 200 { 0.0 } else { 3.0 })).collect();
    let mut values: Vec<f64> = (0..300).map(f64::from).collect();
    values[..5].fill(f64::NAN);
    values[50..53].fill(f64::NAN);
    let (grid, filled, silent) = even::on_grid(&times, &values, times[0], 0.01, 600);
    assert_eq!((filled, silent), (3, 5 + 300));
    assert_eq!((grid[5], grid[51], grid[199], grid[500], grid[599]), (5.0, 51.0, 199.0, 200.0, 299.0));
    // Rows that come as they like are not missing ones.
    let mut time = 0.0;
    let wild: Vec<(f64, f64)> = (0..3000)
        .map(|_| {
            time += [0.005, 0.01, 0.015, 0.03][(chance.share() * 4.0) as usize % 4];
            (time, value(time))
        })
        .collect();
    let wild = made(&wild).unwrap();
    assert!(wild.filled == 0 && wild.is_resampled && (wild.rate - 1.0 / 0.015).abs() < 1.5, "{}", wild.told());
    assert!(made(&[(0.0, 1.0); 100]).unwrap_err().contains("time base"));
    assert!(made(&[(0.0, 1.0); 3]).unwrap_err().contains("only 3 rows"));
}

#[test]
fn slow_waves_have_their_period_and_noise_makes_none() {
    let mut chance = Chance(9);
    let times: Vec<Stamp> = (0..3000).map(|i| at(f64::from(i) * 0.01)).collect();
    let values: Vec<f64> =
        (0..3000).map(|i| 5.0 + 2.0 * (TAU * 0.31 * f64::from(i) * 0.01).sin() + 0.1 * chance.gauss()).collect();
    let period = Period::of(&times, &values, 0.1).unwrap();
    assert!((period.hertz() - 0.31).abs() < 0.001 && period.count == 8, "{period:?}");
    let noise: Vec<f64> = (0..3000).map(|_| chance.gauss()).collect();
    assert_eq!(Period::of(&times, &noise, 1.0), None);
    // Hum on top crosses the middle to and fro, which makes no more periods.
    for (seed, hum) in [(1, 10.0), (2, 30.0), (3, 45.0)] {
        let mut chance = Chance(seed);
        let times: Vec<Stamp> = (0..8000).map(|i| at(f64::from(i) * 0.002)).collect();
        let value = |i: usize| {
            let t = i as f64 * 0.002;
            100.0 * (TAU * 3.0 * t).sin() + hum * (TAU * 50.0 * t).sin() + 4.0 * chance.gauss()
        };
        let values: Vec<f64> = (0..8000).map(value).collect();
        let period = Period::of(&times, &values, 4.0).unwrap();
        assert!((period.hertz() - 3.0).abs() < 0.02, "{hum}: {period:?}");
    }
}

#[test]
fn a_channel_that_follows_does_so_by_its_delay_and_a_wave_has_rivals() {
    let (mut chance, mut maker) = (Chance(4), Maker::default());
    let mut slow = 0.0;
    let a: Vec<f64> = (0..2000)
        .map(|_| {
            slow += 0.05 * (chance.gauss() - slow);
            slow
        })
        .collect();
    let b: Vec<f64> = (0..2000).map(|i: usize| -3.0 * a[i.saturating_sub(62)] + 0.05 * chance.gauss()).collect();
    let follows = maker.follows(&a, &b, 100.0).unwrap();
    assert!((follows.seconds - 0.62).abs() < 0.005 && follows.correlation < -0.9, "{follows:?}");
    assert!(follows.rivals.is_empty(), "{follows:?}");
    // One that leads is told the other way round, with the same phase.
    let told = |seconds| Follows { seconds, correlation: -0.5, rivals: vec![] }.told("a", "b", Some(1.0));
    assert_eq!(told(0.1), "b follows a by 100 ms, upside down (correlation -0.50), 36 degrees of 1 Hz");
    assert_eq!(told(-0.1), told(0.1).replace("b follows a", "a follows b"));
    let (a, b) = (wave(2000, 100.0, &[(0.8, 1.0)]), wave(2062, 100.0, &[(0.8, 1.0)]));
    let waves = maker.follows(&a, &b[62..], 100.0).unwrap();
    assert!(!waves.rivals.is_empty(), "a wave repeats: {waves:?}");
    // Of the delays that fit nearly alike it is the nearest, and upside down only where that is much nearer.
    for (seed, phase) in [-150.0, -90.0, -20.0, 0.0, 43.0, 120.0, 170.0].into_iter().enumerate() {
        let mut chance = Chance(seed as u64 + 20);
        let mut noisy = |phase: f64| -> Vec<f64> {
            let value = |row: usize| 100.0 * (TAU * (row as f64 / 100.0 - phase / 360.0)).sin() + 20.0 * chance.gauss();
            (0..4000).map(value).collect()
        };
        let found = maker.follows(&noisy(0.0), &noisy(phase), 100.0).unwrap();
        let is_turned = found.correlation < 0.0;
        let meant = if phase.abs() > 160.0 { phase - 180f64.copysign(phase) } else { phase } / 360.0;
        assert!((found.seconds - meant).abs() < 0.02 && is_turned == (phase.abs() > 160.0), "{phase}: {found:?}");
    }
    assert_eq!(maker.follows(&a, &[7.0; 2000], 100.0), None);
}

#[test]
fn what_shows_in_place_of_something_faster_is_named() {
    assert_eq!(names::mains(50.01, 1000.0, 0.2).unwrap(), "50 Hz mains");
    assert_eq!(names::mains(10.0, 60.0, 0.1).unwrap(), "50 Hz mains, folded at 60 rows/s");
    assert_eq!(names::mains(100.0, 1000.0, 0.2).unwrap(), "2 × 50 Hz mains");
    assert_eq!(names::mains(33.0, 1000.0, 0.2), None);
    assert_eq!(names::others(8.0, 60.0), [52.0, 68.0]);
}

#[test]
fn lines_of_a_waterfall_stay_and_are_made_once() {
    let (mut maker, mut falls, mut asked) = (Maker::default(), Waterfall::default(), 0);
    let recipe = Recipe { length: 64, ..Recipe::default() };
    let mut follow = |falls: &mut Waterfall, end: f64, budget| {
        falls.follow(&mut maker, recipe, 0.5, (at(end), 10), budget, |until, rows| {
            asked += 1;
            let last = (until.seconds_since(at(0.0)) * 100.0) as i64;
            let first = (last - rows as i64).max(0);
            let times: Vec<Stamp> = (first..last).map(|row| at(row as f64 * 0.01)).collect();
            (times, (first..last).map(|row| (TAU * 0.125 * row as f64).sin()).collect())
        })
    };
    assert!(!follow(&mut falls, 10.0, 3) && follow(&mut falls, 10.2, 100));
    assert_eq!((falls.lines().count(), falls.lines().last().unwrap().step), (10, 20));
    let line = falls.lines().last().unwrap();
    assert!((line.amplitudes[8] - 1.0).abs() < 1e-3, "{:?}", line.amplitudes);
    assert!(follow(&mut falls, 11.0, 2) && falls.lines().next().unwrap().step == 13);
    assert!(follow(&mut falls, 0.3, 100) && falls.lines().all(|line| line.amplitudes.is_empty()));
    assert_eq!(asked, 10 + 2 + 10);
}

#[test]
fn a_break_is_no_wave() {
    use crate::bench::Bench;
    use crate::chain::Chain;
    use crate::store::Limits;
    let mut chain = Chain::new(&Bench::default(), 0, Limits::NONE);
    for row in 0..600 {
        if row == 350 {
            chain.break_off();
        }
        chain.feed(at(f64::from(row) * 0.01), format!("x={} y=1\n", row % 10).as_bytes());
    }
    let rows = chain.store().rows();
    let even = Even::of_rows(chain.store(), chain.channels()[0].scaled(), rows.start + 10..rows.end).unwrap();
    assert_eq!((even.values.len(), even.left_out), ((rows.end - 350) as usize, 340));
    assert!(even.told().contains("left out"));
}
