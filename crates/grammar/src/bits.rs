//! What it costs in bits to say a column, given the values before: the code is the cheapest of several that could all be
//! decoded, so that a column that is read wrongly (glued, torn, in the wrong base) is wild and therefore dear.

/// What is thought of a reading before a line is seen, in bits.
pub(crate) mod prior {
    /// A character that nothing explains.
    pub(crate) const RAW_CHARACTER: f64 = 8.0;
    /// A line that no template explains, besides its characters.
    pub(crate) const RAW_LINE: f64 = 6.0;
    /// A damaged line, at most.
    pub(crate) const DAMAGED: f64 = 40.0;
    /// A character of a template's own text, once.
    pub(crate) const TEXT_CHARACTER: f64 = 5.0;
    /// One more template.
    pub(crate) const TEMPLATE: f64 = 12.0;
    /// One more slot of numbers.
    pub(crate) const SLOT: f64 = 6.0;
    /// A slot of words instead of the text itself.
    pub(crate) const WORD_SLOT: f64 = 8.0;
    /// A comma in numbers is the decimal point.
    pub(crate) const DECIMAL_COMMA: f64 = 8.0;
    /// A comma parts groups of thousands.
    pub(crate) const GROUPS_COMMA: f64 = 12.0;
    /// A blank or a point does.
    pub(crate) const GROUPS_OTHER: f64 = 16.0;
    /// An apostrophe does, which means nothing else between digits.
    pub(crate) const GROUPS_APOSTROPHE: f64 = 2.0;
    /// All numbers of a column have as many groups: rather two columns.
    pub(crate) const GROUPS_ALIKE: f64 = 14.0;
    /// Hexadecimal digits without a mark.
    pub(crate) const HEX_BARE: f64 = 16.0;
    /// Hexadecimal digits behind `#` or `$`.
    pub(crate) const HEX_MARKED: f64 = 4.0;
    /// What looks like a time of day is numbers.
    pub(crate) const NO_CLOCK: f64 = 20.0;
    /// A comma behind the seconds is no decimal one.
    pub(crate) const CLOCK_COMMA_APART: f64 = 4.0;
    /// Underscores stand between values.
    pub(crate) const UNDERSCORE: f64 = 8.0;
    /// Quoted words for a missing value.
    pub(crate) const QUOTED_GAPS: f64 = 3.0;
    /// A minus right behind a number is the sign of the next.
    pub(crate) const MINUS_BETWEEN: f64 = 6.0;
    /// Numbers right behind letters.
    pub(crate) const GLUED: f64 = 8.0;
    /// A second kind of mark between values.
    pub(crate) const SECOND_MARK: f64 = 8.0;
    /// A slot without a name among named ones.
    pub(crate) const UNNAMED: f64 = 8.0;
    /// A column with leading zeros.
    pub(crate) const ZEROS: f64 = 5.0;
    /// Digits with leading zeros right behind the only comma behind digits: a fraction.
    pub(crate) const ZEROS_BEHIND_COMMA: f64 = 1000.0;
    /// Leading zeros in front of a decimal comma.
    pub(crate) const ZEROS_BEFORE_COMMA: f64 = 40.0;
    /// A field that need not be there.
    pub(crate) const OPTIONAL: f64 = 10.0;
    /// A word or a number tells which channel the others are of.
    pub(crate) const KEY: f64 = 10.0;
    /// Lines of one form come in turn, parted by nothing.
    pub(crate) const TURNS: f64 = 16.0;
    /// Blank lines part them.
    pub(crate) const BLOCK: f64 = 4.0;
    /// A comma is the decimal point and stands between numbers as well.
    pub(crate) const COMMA_TWICE: f64 = 25.0;
    /// Commas and points are both decimal ones.
    pub(crate) const COMMA_AND_POINT: f64 = 60.0;
    /// Names in front of a mark that come in turn are hardly states.
    pub(crate) const KEY_IN_TURN: f64 = 100.0;
    /// No mark follows it.
    pub(crate) const KEY_BARE: f64 = 25.0;
}

/// A universal code for a whole number from 0.
pub(crate) fn universal(value: f64) -> f64 {
    1.0 + 2.0 * (value.abs() + 1.0).log2()
}

/// Whole numbers around zero: a two-sided geometric distribution with the scale that fits, and a universal escape.
pub(crate) fn residuals(values: &[i128]) -> f64 {
    if values.is_empty() {
        return 0.0;
    }
    let mut sizes: Vec<u128> = values.iter().map(|value| value.unsigned_abs()).collect();
    sizes.sort_unstable();
    let core = &sizes[..(sizes.len() * 95 / 100).max(1)];
    let mean = core.iter().map(|size| *size as f64).sum::<f64>() / core.len() as f64;
    let ratio = mean / (1.0 + mean);
    let (start, step) = ((1.0 - ratio).log2(), (mean > 0.0).then(|| ratio.log2()));
    let mut total = universal((mean * 4.0).floor());
    for size in sizes {
        let geometric = match step {
            Some(step) => start + size as f64 * step,
            None if size == 0 => 0.0,
            None => -1e9,
        };
        let escape = -2.0 * (size as f64 + 1.0).log2() - 1.0;
        // A share of 3 % for the escape.
        let (a, b) = (geometric - 0.044, escape - 5.06);
        let (high, low) = if a > b { (a, b) } else { (b, a) };
        let both = if high - low < 40.0 { (1.0 + (low - high).exp2()).log2() } else { 0.0 };
        total += f64::from(u8::from(size != 0)) - high - both;
    }
    total
}

/// Symbols of a small alphabet by an adaptive code (Krichevsky and Trofimov 1981), each given the one before where `order` is 1.
pub(crate) fn symbols(values: &[usize], order: usize) -> f64 {
    let alphabet = values.iter().max().map_or(0, |most| most + 1);
    if alphabet <= 1 {
        return 1.0;
    }
    let (context, half) = (if order == 0 { 1 } else { alphabet + 1 }, 0.5);
    let mut counts = vec![0u32; context * alphabet];
    let mut totals = vec![0u32; context];
    let (mut before, mut total) = (context - 1, 1.0);
    for value in values {
        let count = &mut counts[before * alphabet + value];
        total -= ((f64::from(*count) + half) / (f64::from(totals[before]) + half * alphabet as f64)).log2();
        *count += 1;
        totals[before] += 1;
        before = if order == 0 { 0 } else { *value };
    }
    total + 1.0
}

/// The cheaper of both orders.
pub(crate) fn sequence(values: &[usize]) -> f64 {
    symbols(values, 1).min(symbols(values, 0))
}

/// Values as numbers of an alphabet, in the order in which they come first.
pub(crate) fn alphabet<T: PartialEq + Eq + std::hash::Hash>(values: impl Iterator<Item = T>) -> Vec<usize> {
    let mut known = std::collections::HashMap::new();
    values
        .map(|value| {
            let next = known.len();
            *known.entry(value).or_insert(next)
        })
        .collect()
}

/// The whole numbers of one column, in order.
pub(crate) fn whole(values: &[i128]) -> f64 {
    whole_within(values, true)
}

fn whole_within(values: &[i128], deep: bool) -> f64 {
    let (Some(first), Some(low), Some(high)) = (values.first(), values.iter().min(), values.iter().max()) else {
        return 0.0;
    };
    let (low, high, n) = (*low, *high, values.len() as f64);
    let begin = universal(*first as f64) + 1.0;
    if low == high {
        return begin + 1.0;
    }
    let span = (high - low) as f64;
    let mut best = begin + universal(high as f64) + 1.0 + n * (span + 1.0).log2() + 2.0;
    let median = {
        let mut sorted = values.to_vec();
        sorted.sort_unstable();
        sorted[values.len() / 2]
    };
    let about: Vec<i128> = values.iter().map(|value| value - median).collect();
    best = best.min(universal(median as f64) + 2.0 + residuals(&about));
    let letters = alphabet(values.iter());
    let count = letters.iter().max().map_or(0, |most| most + 1);
    if count <= 64 && count as f64 * 2.5 < n {
        let mut distinct: Vec<i128> = values.to_vec();
        distinct.sort_unstable();
        distinct.dedup();
        let said: f64 = distinct.iter().map(|value| universal(*value as f64)).sum();
        best = best.min(said + sequence(&letters) + 2.0);
    }
    if values.len() > 1 {
        let steps: Vec<i128> = values.windows(2).map(|pair| pair[1] - pair[0]).collect();
        let moves: Vec<i128> = steps.iter().copied().filter(|step| *step != 0).collect();
        if (moves.len() as f64) < 0.7 * n {
            let changes: Vec<usize> = steps.iter().map(|step| usize::from(*step != 0)).collect();
            let when = if moves.is_empty() || moves.len() == steps.len() { 1.0 } else { symbols(&changes, 1) };
            let free = moves.len() as f64 * (span + 1.0).log2() + universal(span);
            best = best.min(begin + 3.0 + when + residuals(&moves).min(free));
        }
        best = best.min(begin + 2.0 + residuals(&steps));
        let middle = {
            let mut sorted = steps.clone();
            sorted.sort_unstable();
            sorted[steps.len() / 2]
        };
        if middle != 0 {
            let about: Vec<i128> = steps.iter().map(|step| step - middle).collect();
            best = best.min(begin + universal(middle as f64) + 3.0 + residuals(&about));
        }
        if steps.len() > 1 {
            let bends: Vec<i128> = steps.windows(2).map(|pair| pair[1] - pair[0]).collect();
            best = best.min(begin + 3.0 + universal(steps[0] as f64) + residuals(&bends));
        }
    }
    if deep && span >= 20.0 {
        let mut unit = 10i128;
        for digits in 1..=3u32 {
            if high - low < 2 * unit {
                break;
            }
            let tops: Vec<i128> = values.iter().map(|value| value.div_euclid(unit)).collect();
            best = best.min(whole_within(&tops, false) + n * f64::from(digits) * std::f64::consts::LOG2_10 + 1.0);
            unit *= 10;
        }
    }
    best
}

/// A clock in ticks, so many a second: minutes and seconds apart where that is cheaper.
pub(crate) fn clock(ticks: &[i128], per_second: i128) -> f64 {
    [60 * per_second, per_second].iter().fold(whole(ticks), |best, unit| {
        let tops: Vec<i128> = ticks.iter().map(|tick| tick.div_euclid(*unit)).collect();
        let rests: Vec<i128> = ticks.iter().map(|tick| tick.rem_euclid(*unit)).collect();
        best.min(whole_within(&tops, false) + whole_within(&rests, false) + 2.0)
    })
}

/// The words of a column that has few: each once, and their sequence.
pub(crate) fn words(texts: &[&str]) -> f64 {
    let mut distinct: Vec<&str> = texts.to_vec();
    distinct.sort_unstable();
    distinct.dedup();
    let said: f64 = distinct.iter().map(|text| spelled(text)).sum();
    said + sequence(&alphabet(texts.iter()))
}

/// A word, once.
pub(crate) fn spelled(text: &str) -> f64 {
    prior::RAW_CHARACTER * text.chars().count() as f64 * 0.7 + 4.0
}
