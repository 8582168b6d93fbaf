//! Calibration: values that came against what they really were, and the curve between them.

use crate::scale::{Calibration, Curve};

/// A value that came, while it was settled, and what it really was.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Compared {
    /// What came: the mean over a level, behind the sensor's own steps.
    pub came: f64,
    /// The standard error of that mean.
    pub error: f64,
    /// What it really was.
    pub really: f64,
}

/// A fitted curve, and what is to be known of it.
#[derive(Clone, Debug, PartialEq)]
pub struct Fit {
    /// The curve with its points in rising order and how far it lies above each; without a date and unit.
    pub calibration: Calibration,
    /// The largest distance between the curve and a point, in units of what it really was.
    pub largest: f64,
    /// The same in percent of full scale, which is the range that was compared.
    pub percent: f64,
    /// What should be known before it is used.
    pub warnings: Vec<String>,
}

/// Fits `curve` to the points by least squares.
///
/// # Errors
/// What is missing: too few points, or points that do not differ.
pub fn fit(points: &[Compared], curve: Curve) -> Result<Fit, String> {
    let mut points: Vec<Compared> = points.to_vec();
    points.retain(|point| point.came.is_finite() && point.really.is_finite());
    points.sort_by(|a, b| a.came.total_cmp(&b.came));
    let needed = curve.terms().max(2);
    if points.len() < needed {
        return Err(format!("{} needs {needed} points or more, {} given so far", curve.name(), points.len()));
    }
    let (first, last) = (points[0], points[points.len() - 1]);
    let range = last.came - first.came;
    let least = points.iter().map(|point| point.really).fold(f64::INFINITY, f64::min);
    let most = points.iter().map(|point| point.really).fold(f64::NEG_INFINITY, f64::max);
    if range <= 0.0 || most <= least {
        return Err("the points are all the same: apply another known value".into());
    }
    let curve_points: Vec<(f64, f64)>;
    let terms = if curve == Curve::Table {
        curve_points = joined(&points, range);
        if curve_points.len() < 2 {
            return Err("the points are all the same: apply another known value".into());
        }
        Vec::new()
    } else {
        curve_points = points.iter().map(|point| (point.came, point.really)).collect();
        polynomial(&curve_points, curve.terms())
            .ok_or("the points are too close together for this curve: choose a simpler one")?
    };
    let mut calibration = Calibration {
        date: String::new(),
        curve,
        terms,
        points: curve_points,
        residuals: Vec::new(),
        unit: String::new(),
    };
    if curve == Curve::Line && calibration.terms[1] == 0.0 {
        return Err("the line is level: the measured values do not follow the true ones".into());
    }
    calibration.residuals = calibration.points.iter().map(|(x, y)| calibration.true_value(*x) - y).collect();
    let largest = calibration.residuals.iter().fold(0.0, |most: f64, residual| most.max(residual.abs()));
    let percent = largest / (most - least) * 100.0;
    let warnings = warnings(&points, &calibration, range, largest);
    Ok(Fit { calibration, largest, percent, warnings })
}

fn warnings(points: &[Compared], calibration: &Calibration, range: f64, largest: f64) -> Vec<String> {
    let mut told = Vec::new();
    let curve = calibration.curve;
    let spare = points.len() - curve.terms().min(points.len());
    if curve != Curve::Table && spare == 0 {
        told.push(format!(
            "too few points: {} always meet a {} exactly; one more would test it",
            points.len(),
            if curve == Curve::Line { "line" } else { "curve of that degree" }
        ));
    }
    let coarsest = points.iter().map(|point| point.error).fold(0.0, f64::max);
    if coarsest > 0.0 && range < 30.0 * coarsest {
        told.push("too close: the points lie within thirty errors of their means; spread them over the range".into());
    }
    let gaps = points.windows(2).map(|pair| pair[1].came - pair[0].came);
    let widest = gaps.fold(0.0, f64::max);
    if points.len() > 3 && widest > 0.7 * range {
        told.push("uneven: most points are close together; add some between".into());
    }
    // An error of the mean, in the unit of what it really was.
    let slope = calibration.span() / range;
    let explained = coarsest * slope;
    if spare > 0 && curve != Curve::Table && explained > 0.0 && largest > 5.0 * explained {
        let worst = calibration.residuals.iter().map(|residual| residual.abs());
        let at = worst.enumerate().max_by(|a, b| a.1.total_cmp(&b.1)).map_or(0, |(at, _)| at);
        told.push(format!(
            "worse than the noise: {:.1} times what it explains, most at {}; check that point or bend the curve",
            largest / explained,
            calibration.points[at].1
        ));
    }
    let falls = |pair: &[(f64, f64)]| pair[1].1 - pair[0].1;
    let signs = calibration.points.windows(2).map(falls).filter(|step| *step != 0.0).map(f64::signum);
    let signs: Vec<f64> = signs.collect();
    if signs.iter().any(|sign| *sign != signs[0]) {
        told.push("not monotonic: a larger true value has a smaller reading; is each value at its level?".into());
    }
    told
}

/// Points in rising order for a table: those that came as good as the same are one, at their mean.
fn joined(points: &[Compared], range: f64) -> Vec<(f64, f64)> {
    let mut groups: Vec<(f64, f64, f64)> = Vec::new();
    for point in points {
        match groups.last_mut() {
            Some((x, y, n)) if point.came - *x / *n < range * 1e-3 => {
                (*x, *y, *n) = (*x + point.came, *y + point.really, *n + 1.0);
            }
            _ => groups.push((point.came, point.really, 1.0)),
        }
    }
    groups.into_iter().map(|(x, y, n)| (x / n, y / n)).collect()
}

/// The terms of the polynomial with so many of them that lies closest by least squares, the constant first; `None` when
/// the points do not fix it.
///
/// The normal equations are solved for `u = (x - middle) / half`, which lies within -1 and 1, so that they are well
/// conditioned for the few terms that there are; the terms are then expanded in `x`.
fn polynomial(points: &[(f64, f64)], terms: usize) -> Option<Vec<f64>> {
    let (low, high) = (points.first()?.0, points.last()?.0);
    let (middle, half) = ((low + high) / 2.0, (high - low) / 2.0);
    let mut rows = vec![vec![0.0; terms + 1]; terms];
    for (x, y) in points {
        let u = (x - middle) / half;
        for (i, row) in rows.iter_mut().enumerate() {
            for (j, cell) in row.iter_mut().enumerate() {
                let times = if j == terms { *y } else { u.powi(j as i32) };
                *cell += u.powi(i as i32) * times;
            }
        }
    }
    let solved = solve(rows)?;
    // In x: Horner's rule over polynomials, with (x - middle) / half in place of x.
    let mut out = vec![0.0; terms];
    for term in solved.iter().rev() {
        let mut next = vec![0.0; terms];
        for (i, value) in out.iter().enumerate() {
            next[i] -= value * middle / half;
            if let Some(above) = next.get_mut(i + 1) {
                *above += value / half;
            }
        }
        next[0] += term;
        out = next;
    }
    out.iter().all(|term| term.is_finite()).then_some(out)
}

/// Gauss's elimination with the largest pivot of each column.
fn solve(mut rows: Vec<Vec<f64>>) -> Option<Vec<f64>> {
    let count = rows.len();
    for at in 0..count {
        let pivot = (at..count).max_by(|a, b| rows[*a][at].abs().total_cmp(&rows[*b][at].abs()))?;
        rows.swap(at, pivot);
        if rows[at][at].abs() < 1e-9 {
            return None;
        }
        for below in at + 1..count {
            let factor = rows[below][at] / rows[at][at];
            let pivot = rows[at].clone();
            rows[below].iter_mut().zip(pivot).skip(at).for_each(|(cell, above)| *cell -= factor * above);
        }
    }
    let mut out = vec![0.0; count];
    for at in (0..count).rev() {
        let known: f64 = (at + 1..count).map(|column| rows[at][column] * out[column]).sum();
        out[at] = (rows[at][count] - known) / rows[at][at];
    }
    Some(out)
}

/// What a scale reads against what it really is, in one sentence: `reads 0.8 % high`. `pairs`: read and really; `span`:
/// full scale, above 0. `None` without pairs.
pub fn verdict(pairs: &[(f64, f64)], span: f64) -> Option<String> {
    let offs = || pairs.iter().map(|(read, really)| (read - really) / span * 100.0);
    if pairs.is_empty() || span <= 0.0 {
        return None;
    }
    let mean = offs().sum::<f64>() / pairs.len() as f64;
    let worst = offs().fold(0.0, |worst: f64, off| if off.abs() > worst.abs() { off } else { worst });
    let side = |off: f64| if off < 0.0 { "low" } else { "high" };
    Some(if worst.abs() < 0.1 {
        "reads right, within 0.1 % of full scale".into()
    } else if pairs.len() == 1 {
        format!("reads {:.1} % of full scale {}", mean.abs(), side(mean))
    } else {
        format!(
            "reads {:.1} % of full scale {} on average, {:.1} % {} at worst",
            mean.abs(),
            side(mean),
            worst.abs(),
            side(worst)
        )
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn points(pairs: &[(f64, f64)]) -> Vec<Compared> {
        pairs.iter().map(|(came, really)| Compared { came: *came, error: 0.001, really: *really }).collect()
    }

    proptest! {
        #[test]
        fn a_curve_is_found_again_through_its_own_points(
            terms in proptest::collection::vec(-5.0..5.0f64, 2..5), from in -10.0..10.0f64, step in 0.1..2.0f64, more in 0..5usize,
        ) {
            let curve = Curve::ALL[terms.len() - 2];
            let y = |x: f64| terms.iter().rev().fold(0.0, |sum, term| sum * x + term);
            let given: Vec<(f64, f64)> = (0..terms.len() + more + 1).map(|i| from + step * i as f64).map(|x| (x, y(x))).collect();
            let size = given.iter().fold(1.0, |size: f64, point| size.max(point.1.abs()));
            // Points that are all as good as the same are rejected.
            prop_assume!(terms[1..].iter().any(|term| term.abs() > 0.1));
            let found = match fit(&points(&given), curve) {
                Ok(found) => found,
                Err(why) => return Err(TestCaseError::reject(why)),
            };
            prop_assert!(found.largest < 1e-6 * size, "{} of {size}: {:?}", found.largest, found.calibration.terms);
            for (x, y) in given {
                prop_assert!((found.calibration.true_value(x) - y).abs() < 1e-6 * size);
            }
        }
    }

    /// By hand: the line through (1, 2), (2, 4.1), (3, 5.9) is 0.1 + 1.95 x, residuals 0.05, -0.1, 0.05.
    #[test]
    fn a_line_with_its_residuals_and_percent_of_full_scale() {
        let found = fit(&points(&[(3.0, 5.9), (1.0, 2.0), (2.0, 4.1)]), Curve::Line).unwrap();
        let close = |a: f64, b: f64| (a - b).abs() < 1e-9;
        let calibration = &found.calibration;
        assert!(close(calibration.terms[0], 0.1) && close(calibration.terms[1], 1.95), "{calibration:?}");
        assert!(calibration.residuals.iter().zip([0.05, -0.1, 0.05]).all(|(a, b)| close(*a, b)), "{calibration:?}");
        assert!(close(found.largest, 0.1) && close(found.percent, 100.0 * 0.1 / 3.9));
        assert!(found.warnings.iter().any(|warning| warning.contains("worse than the noise")), "{:?}", found.warnings);
    }

    #[test]
    fn what_is_missing_or_doubtful_is_said() {
        let wrong = |pairs: &[(f64, f64)], curve| fit(&points(pairs), curve).unwrap_err();
        assert!(wrong(&[(1.0, 2.0)], Curve::Line).contains("needs 2 points or more, 1 given"));
        assert!(wrong(&[(1.0, 2.0), (1.0, 3.0)], Curve::Line).contains("all the same"));
        assert!(wrong(&[(1.0, 2.0), (2.0, 3.0), (2.0, 3.0)], Curve::Square).contains("simpler one"));
        let warned = |pairs: &[(f64, f64)], curve| fit(&points(pairs), curve).unwrap().warnings.join("; ");
        assert!(warned(&[(1.0, 2.0), (2.0, 3.0)], Curve::Line).contains("too few points"));
        assert!(warned(&[(1.0, 2.0), (1.01, 3.0)], Curve::Line).contains("too close"));
        assert!(warned(&[(1.0, 2.0), (2.0, 9.0), (3.0, 4.0)], Curve::Table).contains("not monotonic"));
        let table = fit(&points(&[(1.0, 2.0), (1.0, 4.0), (3.0, 9.0)]), Curve::Table).unwrap().calibration;
        assert_eq!((table.points.len(), table.true_value(2.0)), (2, 6.0));
        assert_eq!(fit(&points(&[(1.0, 2.0), (2.0, 3.0), (3.0, 4.0)]), Curve::Line).unwrap().warnings, [""; 0]);
    }

    #[test]
    fn a_check_says_how_far_off_it_reads() {
        let say = |pairs: &[(f64, f64)]| verdict(pairs, 200.0).unwrap_or_default();
        assert_eq!(say(&[(101.6, 100.0)]), "reads 0.8 % of full scale high");
        assert_eq!(
            say(&[(99.0, 100.0), (197.0, 200.0)]),
            "reads 1.0 % of full scale low on average, 1.5 % low at worst"
        );
        assert_eq!((say(&[(100.05, 100.0)]).contains("right"), say(&[])), (true, String::new()));
    }
}
