//! A raft that floats in the flume, with a sensor of three axes: accelerations in thousandths of g, 100 rows a second.
//!
//! `x` along the flume, `y` across, `z` up; still and level it reads 0, 0, 1000. It rolls and pitches with the waves, is
//! knocked every 17 seconds, and every 41 seconds it is lifted and dropped: it falls freely for 0.3 s and hits the water.

use crate::noise::Noise;
use crate::plain::Writer;
use std::f64::consts::TAU;
use std::fmt::Write;

/// Seconds from one knock to the next, and from one fall to the next; each comes so long after its period began.
const KNOCK: (f64, f64) = (17.0, 9.0);
const FALL: (f64, f64) = (41.0, 23.0);

/// How long it falls, in seconds: 0.44 m.
const FALLING: f64 = 0.3;

pub(crate) struct Raft;

/// Seconds since the last event of this kind began.
fn since((period, first): (f64, f64), now: f64) -> f64 {
    (now - first).rem_euclid(period)
}

impl Writer for Raft {
    const BAUD: u32 = 115_200;
    const RATE: f64 = 100.0;
    const BANNER: &'static str = "raft, three axes, mg\r\n";

    fn row(&mut self, _: u64, now: f64, noise: &mut Noise, out: &mut String) {
        let pitch = 9f64.to_radians() * (TAU * 0.8 * now).sin();
        let roll = 5f64.to_radians() * (TAU * 0.31 * now + 0.6).sin();
        let heave = 60.0 * (TAU * 0.8 * now + 0.9).sin();
        let mut axes = [1000.0 * pitch.sin(), 1000.0 * roll.sin(), 1000.0 * pitch.cos() * roll.cos() + heave];
        let knocked = since(KNOCK, now);
        if now >= KNOCK.1 && knocked < 0.8 {
            let ring = 900.0 * (-knocked / 0.18).exp();
            axes[0] += ring * (TAU * 11.0 * knocked).sin();
            axes[1] += 0.7 * ring * (TAU * 13.0 * knocked).cos();
        }
        let fallen = since(FALL, now);
        if now >= FALL.1 && fallen < FALLING {
            axes = [0.0; 3];
        } else if now >= FALL.1 && fallen < FALLING + 0.6 {
            let hit = fallen - FALLING;
            axes[2] += 2400.0 * (-hit / 0.06).exp();
        }
        let [x, y, z] = axes.map(|axis| (axis + 6.0 * noise.gauss()).round().clamp(-4000.0, 4000.0));
        // Writing to a string cannot fail.
        let _ = write!(out, "x={x} y={y} z={z}\r\n");
    }
}

#[cfg(test)]
mod tests {
    use crate::by_name;
    use std::time::Duration;

    #[test]
    fn the_raft_lies_level_on_average_falls_and_is_knocked() {
        let mut out = Vec::new();
        by_name("raft", 3).unwrap().run(Duration::from_secs(60), &mut out);
        let text = String::from_utf8(out).unwrap();
        let value = |field: &str| field.split_once('=').and_then(|(_, code)| code.parse::<f64>().ok());
        let rows: Vec<Vec<f64>> =
            text.lines().skip(1).map(|line| line.split(' ').filter_map(value).collect()).collect();
        assert_eq!((rows.len(), rows[0].len()), (6000, 3));
        let size = |row: &Vec<f64>| row.iter().map(|axis| axis * axis).sum::<f64>().sqrt();
        let falls = rows.iter().filter(|row| size(row) < 100.0).count();
        assert!((28..=32).contains(&falls), "{falls}");
        assert!(rows[900..920].iter().any(|row| row[0].abs() > 600.0), "the knock");
        assert!((size(&rows[500]) - 1000.0).abs() < 120.0);
    }
}
