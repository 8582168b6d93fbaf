//! Settings of stage 1: how the wire is set, and where rows get their time from.

use super::super::{App, Effect, FieldId};
use super::{along, around};
use amber_core::bench::{Kind, Parity, Source};
use amber_core::clock::{Tick, Time};

const RATES: [f64; 10] = [1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 200.0, 500.0, 1000.0];
const BITS: [u8; 3] = [16, 24, 32];

/// Moves one of the line's settings.
pub(super) fn step_source(source: &mut Source, id: FieldId, step: i32) {
    match id {
        FieldId::DataBits => source.data_bits = along(&[5, 6, 7, 8], source.data_bits, step),
        FieldId::StopBits => source.stop_bits = along(&[1, 2], source.stop_bits, step),
        FieldId::Parity => source.parity = around(&Parity::ALL, source.parity, step),
        _ => source.reset = !source.reset,
    }
}

impl App {
    /// What stands in a field of the time rule, as it would be typed.
    pub(super) fn time_text(&self, id: FieldId) -> String {
        match (id, self.chain().timer().set()) {
            (FieldId::TimeRate, Time::Rate { hz }) => hz.to_string(),
            (FieldId::TimeBits, Time::Board { bits: Some(bits), .. }) => bits.to_string(),
            _ => String::new(),
        }
    }

    /// The rules that a person can choose from here; the board's clock where a channel can be one.
    fn time_rules(&self) -> Vec<Time> {
        let channels = self.chain().channels();
        let clock = channels.iter().find(|channel| channel.kind() == Kind::Clock).or(self.channel());
        let tick = match clock.map(|channel| channel.name().to_ascii_lowercase()) {
            Some(name) if name.contains("us") || name.contains("micro") => Tick::Us,
            Some(name) if name.ends_with("_s") || name.contains("sec") => Tick::S,
            _ => Tick::Ms,
        };
        let board = clock.map(|channel| Time::Board { channel: channel.name().into(), tick, bits: None });
        let hz = self.chain().rate().rate(self.now).round().max(1.0);
        [Time::Auto, Time::Arrival, Time::Even].into_iter().chain(board).chain([Time::Rate { hz }]).collect()
    }

    /// Moves a setting of the time rule.
    pub(super) fn step_time(&mut self, id: FieldId, step: i32) {
        let set = self.chain().timer().set().clone();
        let next = match (id, set) {
            (FieldId::TimeRate, Time::Rate { hz }) => Time::Rate { hz: along(&RATES, hz, step) },
            (FieldId::TimeTick, Time::Board { channel, tick, bits }) => {
                Time::Board { channel, tick: around(&Tick::ALL, tick, step), bits }
            }
            (FieldId::TimeBits, Time::Board { channel, tick, bits }) => {
                Time::Board { channel, tick, bits: super::along_or_off(&BITS, bits, step) }
            }
            (_, set) => {
                let rules = self.time_rules();
                let kind = std::mem::discriminant(&set);
                let here = rules.iter().position(|rule| std::mem::discriminant(rule) == kind).unwrap_or(0) as i32;
                rules[(here + step).rem_euclid(rules.len() as i32) as usize].clone()
            }
        };
        self.chain_mut().set_time(next);
    }

    /// Takes a number that was typed for the wire; nothing means that it is found.
    ///
    /// # Errors
    /// What is wrong with it.
    pub(super) fn type_wire(&mut self, id: FieldId, value: Option<f64>) -> Result<Vec<Effect>, String> {
        let whole = value.filter(|value| value.fract() == 0.0 && (0.0..256.0).contains(value)).map(|value| value as u8);
        match id {
            FieldId::DataBits | FieldId::StopBits => {
                let mut source = self.chain().settings().wire.clone();
                let number = whole.ok_or("type a whole number")?;
                if id == FieldId::DataBits {
                    source.data_bits = number
                } else {
                    source.stop_bits = number
                }
                source.fault().map_or(Ok(()), |(_, fault)| Err(fault))?;
                return Ok(self.set_source(|own| *own = source));
            }
            FieldId::LinesARow => return self.set_lines(usize::from(whole.ok_or("type a whole number")?)),
            _ => {}
        }
        let time = match (id, self.chain().timer().set().clone()) {
            (FieldId::TimeRate, _) => Time::Rate { hz: value.unwrap_or_default() },
            (_, Time::Board { channel, tick, .. }) => Time::Board { channel, tick, bits: whole },
            (_, set) => set,
        };
        time.fault().map_or(Ok(()), Err)?;
        self.chain_mut().set_time(time);
        Ok(Vec::new())
    }
}
