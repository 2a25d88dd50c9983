// Where ticks stand and what they say: as src/figure/ticks.cpp has it, which a test compares it with.
// Mathematical text is marked as {power: exponent, factor?} instead of the notation between dollar signs.
import type { Scale } from "./scale";
import { timeTicks, labelledTimes } from "./times";

/** What a label says: plain text, a power of ten with a factor before it, or one that is multiplied by. */
export type Said = string | { exponent: number; factor?: string; times?: boolean; sign?: string };
export interface Ticks {
  positions: number[];
  labels: Said[];
  common: Said[]; // what they leave out
  step: number;
  minor: number[];
  context: string; // of times: the day or year that they do not say
}

const kSteps = [1, 5, 2, 2.5, 4, 3];

/** The number nearest to a power of ten, which Math.pow() does not promise. */
const pow10 = (exponent: number) => Number("1e" + exponent);

const score = (s: number, c: number, d: number) => 0.25 * s + 0.2 * c + 0.5 * d + 0.05;

function coverage(dmin: number, dmax: number, lmin: number, lmax: number): number {
  const range = dmax - dmin;
  return 1 - (0.5 * (Math.pow(dmax - lmax, 2) + Math.pow(dmin - lmin, 2))) / Math.pow(0.1 * range, 2);
}

function mostCoverage(dmin: number, dmax: number, span: number): number {
  const range = dmax - dmin;
  return span <= range ? 1 : 1 - Math.pow((span - range) / 2, 2) / Math.pow(0.1 * range, 2);
}

function density(k: number, m: number, dmin: number, dmax: number, lmin: number, lmax: number): number {
  const r = (k - 1) / (lmax - lmin), wanted = (m - 1) / (Math.max(lmax, dmax) - Math.min(dmin, lmin));
  return 2 - Math.max(r / wanted, wanted / r);
}

const mostDensity = (k: number, m: number) => (k >= m ? 2 - (k - 1) / (m - 1) : 1);

/** The remainder of the division whose quotient is rounded to the nearest whole number. */
function remainder(x: number, y: number): number {
  const r = x % y, size = Math.abs(y);
  if (2 * Math.abs(r) > size) return r - Math.sign(r) * size;
  return r;
}

interface Labelling {
  first: number;
  step: number;
  count: number;
  score: number;
}

function tryStarts(dmin: number, dmax: number, m: number, q: number, j: number, k: number, i: number,
                   mostSimple: number, best: Labelling): void {
  const dm = mostDensity(k, m);
  const delta = (dmax - dmin) / (k + 1) / j / q;
  for (let z = Math.ceil(Math.log10(delta)); ; ++z) {
    const step = j * q * pow10(z);
    if (score(mostSimple, mostCoverage(dmin, dmax, step * (k - 1)), dm) < best.score || z > 320) return;
    const lowest = Math.floor(dmax / step) * j - (k - 1) * j, highest = Math.ceil(dmin / step) * j;
    if (!(highest - lowest < 10000)) continue;
    for (let start = lowest; start <= highest; ++start) {
      const lmin = start * (step / j), lmax = lmin + step * (k - 1);
      const slack = 1e-9 * (dmax - dmin);
      if (lmin < dmin - slack || lmax > dmax + slack) continue;
      const offset = Math.abs(remainder(lmin, step));
      const hasZero = offset < 1e-10 * step && lmin <= 0 && lmax >= 0;
      const s = 1 - i / (kSteps.length - 1) - j + (hasZero ? 1 : 0);
      const found = score(s, coverage(dmin, dmax, lmin, lmax), density(k, m, dmin, dmax, lmin, lmax));
      if (found > best.score) {
        best.first = lmin;
        best.step = step;
        best.count = k;
        best.score = found;
      }
    }
  }
}

function bestLabelling(dmin: number, dmax: number, m: number): Labelling {
  const best = { first: 0, step: 0, count: 0, score: -2 };
  for (let j = 1; j < 20; ++j)
    for (let i = 0; i < kSteps.length; ++i) {
      const mostSimple = 1 - i / (kSteps.length - 1) - j + 1;
      if (score(mostSimple, 1, 1) < best.score) return best;
      for (let k = 2; k < 60; ++k) {
        if (score(mostSimple, 1, mostDensity(k, m)) < best.score) break;
        tryStarts(dmin, dmax, m, kSteps[i], j, k, i, mostSimple, best);
      }
    }
  return best;
}

// -- what they say

/** How large the positions are, and how near to each other. */
function spreadOf(positions: number[]): { largest: number; nearest: number } {
  let largest = 0, nearest = Infinity;
  positions.forEach((p, k) => {
    largest = Math.max(largest, Math.abs(p));
    if (k > 0) nearest = Math.min(nearest, Math.abs(p - positions[k - 1]));
  });
  if (positions.length < 2 || nearest === 0) nearest = largest === 0 ? 1 : largest / 1000;
  return { largest, nearest };
}
const wantsPower = (s: { largest: number; nearest: number }) =>
  s.largest !== 0 && (s.largest >= 1e6 || s.nearest < 1e-4);
const exponentOf = (v: number) => Math.floor(Math.log10(v) + 1e-9);

/** Halves away from zero, as the program rounds. */
const rounded = (v: number) => (v < 0 ? -Math.floor(-v + 0.5) : Math.floor(v + 0.5));

export function decimalsFor(positions: number[], nearest: number, scale: number): number {
  for (let d = 0; d < 12; ++d) {
    const unit = pow10(d);
    if (positions.every((p) => Math.abs(rounded((p / scale) * unit) / unit - p / scale) < (1e-3 * nearest) / scale))
      return d;
  }
  return 12;
}

/** What is rounded to zero has no sign. */
export const realMinus = (text: string) =>
  !text.startsWith("-") ? text : /^[0.]*$/.test(text.slice(1)) ? text.slice(1) : "−" + text.slice(1);

/** Digits that go on with a five and nothing behind it lie halfway: those before it are kept when they are even. */
function halved(text: string, longer: string): string {
  const kept = longer.slice(0, text.length), rest = longer.slice(text.length).replace(/^\./, "").replace(/e.*$/, "");
  return /^50*$/.test(rest) && Number(kept[kept.length - 1]) % 2 === 0 ? kept : text;
}

/** With so many decimals; exactly halved digits become even ones, as the program rounds. */
export function fixed(v: number, decimals: number): string {
  if (!isFinite(v)) return isNaN(v) ? "nan" : v < 0 ? "-inf" : "inf";
  const size = Math.abs(v), most = 100;
  const text = size >= 1e21 ? BigInt(size) + (decimals > 0 ? "." + "0".repeat(decimals) : "")
    : halved(size.toFixed(decimals), size.toFixed(Math.min(most, decimals + 60)));
  return v < 0 || Object.is(v, -0) ? "-" + text : text;
}

/** d.dd…e±x of a number that is not negative. */
function exponential(size: number, decimals: number): [digits: string, exponent: number] {
  const [text, e] = size.toExponential(decimals).split("e"), longer = size.toExponential(Math.min(100, decimals + 60));
  // Rounding up to a power of ten has no even neighbour below it that is nearer.
  return [Number(longer.split("e")[1]) === Number(e) ? halved(text, longer) : text, Number(e)];
}

function scaledLabels(positions: number[], nearest: number, scale: number): string[] {
  const decimals = decimalsFor(positions, nearest, scale);
  return positions.map((p) => {
    const text = realMinus(fixed(p / scale, decimals));
    return scale !== 1 && p === 0 ? "0" : text;
  });
}

const kTiny = 1e-140, kHuge = 1e140, kEnlarged = 1e200;

function commonPart(positions: number[], spread: { largest: number; nearest: number }): number {
  if (positions.length < 2 || spread.largest / spread.nearest < 1e4) return 0;
  const scale = pow10(wantsPower(spread) ? exponentOf(spread.largest) : 0);
  const labels = scaledLabels(positions, spread.nearest, scale);
  if (labels.every((label) => label.replace(/[^0-9]/g, "").length <= 5)) return 0;
  const low = Math.min(...positions), high = Math.max(...positions);
  const unit = pow10(Math.floor(Math.log10(high - low)) + 1);
  const among = Math.ceil(low / unit) * unit;
  const part = among <= high ? among : among - unit;
  return isFinite(part) ? part : 0;
}

const signedExponent = (e: number) => `e${e < 0 ? "-" : "+"}${Math.abs(e) < 10 ? "0" : ""}${Math.abs(e)}`;

/** A number in at most so many digits, without zeros behind them. */
export function general(v: number, digits: number): string {
  if (v === 0) return "0";
  const trimmed = (text: string) => (text.includes(".") ? text.replace(/\.?0+$/, "") : text);
  const [mantissa, exponent] = exponential(v, digits - 1);
  if (exponent < -4 || exponent >= digits) return trimmed(mantissa) + signedExponent(exponent);
  return trimmed(fixed(v, Math.max(0, digits - 1 - exponent)));
}

function withSign(part: number): Said[] {
  const size = Math.abs(part), isLarge = size >= 1e6 || size < 1e-4;
  const exponent = isLarge ? exponentOf(size) : 0;
  const text = `${part < 0 ? "−" : "+"} ${general(size / pow10(exponent), 15)}`;
  return isLarge ? [text, { exponent, times: true }] : [text];
}

export function tickTexts(positions: number[]): { labels: Said[]; common: Said[] } {
  let from = positions, enlarged = 0;
  const largest = spreadOf(positions).largest;
  if (largest > 0 && largest < kTiny) {
    enlarged = 200;
    from = from.map((p) => p * kEnlarged);
  }
  const part = commonPart(from, spreadOf(from));
  from = from.map((p) => p - part);
  const spread = spreadOf(from);
  const powers = enlarged !== 0 || wantsPower(spread);
  const exponent = powers ? exponentOf(spread.largest) : 0;
  const labels = scaledLabels(from, spread.nearest, pow10(exponent));
  const common: Said[] = powers ? [{ exponent: exponent - enlarged, times: true }] : [];
  if (part !== 0 && enlarged === 0) common.push(...(powers ? [" "] : []), ...withSign(part));
  return { labels, common };
}

function withTexts(ticks: Ticks): Ticks {
  Object.assign(ticks, tickTexts(ticks.positions));
  return ticks;
}

const none = (): Ticks => ({ positions: [], labels: [], common: [], step: 0, minor: [], context: "" });

// -- axes

export function linearTicks(low: number, high: number, wanted: number): Ticks {
  const out = none(), m = Math.max(2, wanted);
  if (!(high > low) || high - low < 1e-12 * Math.max(Math.abs(low), Math.abs(high))) {
    out.positions = [low];
  } else if (high - low < 1e-320) {
    out.positions = [low, high];
  } else if (Math.max(Math.abs(low), Math.abs(high)) < kTiny) {
    const large = linearTicks(low * kEnlarged, high * kEnlarged, wanted);
    out.step = large.step / kEnlarged;
    out.positions = large.positions.map((p) => p / kEnlarged);
  } else if (Math.max(Math.abs(low), Math.abs(high)) > kHuge) {
    const small = linearTicks(low / kEnlarged, high / kEnlarged, wanted);
    out.step = small.step * kEnlarged;
    out.positions = small.positions.map((p) => p * kEnlarged);
  } else {
    const best = bestLabelling(low, high, m);
    out.step = best.step;
    for (let k = 0; k < best.count; ++k) {
      const steps = best.first / best.step + k, nearest = rounded(steps);
      let p = Math.abs(steps - nearest) < 1e-6 ? nearest * best.step : best.first + k * best.step;
      if (Math.abs(p) < 1e-9 * best.step) p = 0;
      out.positions.push(p);
    }
    if (out.positions.length === 0) out.positions = [low, high];
  }
  return withTexts(out);
}

export function wholeTicks(low: number, high: number, wanted: number): Ticks {
  const out = linearTicks(low, high, wanted);
  if (out.positions.every((p) => p === rounded(p))) return out;
  let step = 1;
  for (const next of [1, 2, 5, 10]) {
    step = next;
    if ((high - low) / step <= 1.4 * wanted) break;
  }
  const whole = none();
  whole.step = step;
  for (let k = Math.ceil(low / step); k * step <= high; ++k) whole.positions.push(k * step);
  return whole.positions.length === 0 ? linearTicks(low, high, wanted) : withTexts(whole);
}

export function logTicks(low: number, high: number, wanted: number): Ticks {
  const decades = Math.log10(high) - Math.log10(low);
  if (!(decades > 0.8) || !isFinite(decades)) return linearTicks(low, high, wanted);
  const out = none();
  const first = Math.floor(Math.log10(low) - 1e-9), last = Math.ceil(Math.log10(high) + 1e-9);
  const stride = Math.max(1, Math.ceil(decades / Math.max(2, wanted)));
  const withParts = 3 * decades < 1.8 * wanted && decades < 3, slack = 1e-9;
  for (let e = first; e <= last; ++e)
    for (let m = 1; m < 10; ++m) {
      const p = m * pow10(e);
      if (p < low * (1 - slack) || p > high * (1 + slack)) continue;
      if ((m === 1 && e % stride === 0) || (withParts && (m === 2 || m === 5))) out.positions.push(p);
      else if (m === 1 || stride === 1) out.minor.push(p);
    }
  if (out.positions.length < (wanted >= 3 ? 3 : 2) && decades < 1.3) return linearTicks(low, high, wanted);
  const plain = first >= -3 && last <= 5;
  for (const p of out.positions) {
    const e = exponentOf(p), m = p / pow10(e);
    if (plain) out.labels.push(String(Number(p.toPrecision(6))));
    else out.labels.push(m < 1.5 ? { exponent: e } : { exponent: e, factor: fixed(m, 0) });
  }
  return out;
}

function signedLogTicks(scale: Scale, wanted: number): Ticks {
  const out = none(), unit = scale.threshold, { low, high } = scale;
  const largest = Math.max(Math.abs(low), Math.abs(high)), least = Math.min(Math.abs(low), Math.abs(high));
  // Of one sign and away from 0 it is logarithmic.
  if (low > 0 === high > 0 && low !== 0 && high !== 0 && least >= unit) {
    const found = logTicks(least, largest, wanted);
    if (high > 0) return found;
    if (found.step > 0 || found.common.length > 0) return linearTicks(low, high, wanted);
    const turned = (all: number[]) => all.map((p) => -p).reverse();
    const signed = (label: Said): Said => (typeof label === "string" ? "−" + label : { ...label, sign: "−" });
    return { ...found, positions: turned(found.positions), minor: turned(found.minor), labels: found.labels.map(signed).reverse() };
  }
  const first = rounded(Math.log10(unit)) + 1, last = exponentOf(largest);
  const stride = Math.max(1, Math.ceil((last - first + 1) / Math.max(1, wanted / 2)));
  const isPlain = first >= -3 && last <= 4;
  const found: [number, Said][] = [];
  const add = (p: number, label: Said) => {
    if (p >= scale.low && p <= scale.high) found.push([p, label]);
  };
  add(0, "0");
  for (let e = last; e >= first; e -= stride) {
    const p = pow10(e);
    const text = String(Number(p.toPrecision(15)));
    add(p, isPlain ? text : { exponent: e });
    add(-p, isPlain ? "−" + text : { exponent: e, sign: "−" });
  }
  found.sort((a, b) => a[0] - b[0]);
  out.positions = found.map((f) => f[0]);
  out.labels = found.map((f) => f[1]);
  return out;
}

function ticksFor(scale: Scale, wanted: number, isCount: boolean): Ticks {
  if (scale.kind === "time") return timeTicks(scale.low, scale.high, wanted);
  if (scale.kind === "log") return logTicks(scale.low, scale.high, wanted);
  if (scale.kind === "signed_log") return signedLogTicks(scale, wanted);
  return isCount ? wholeTicks(scale.low, scale.high, wanted) : linearTicks(scale.low, scale.high, wanted);
}

function addMinor(out: Ticks, scale: Scale): void {
  if (!(out.step > 0)) return;
  const lead = out.step / pow10(exponentOf(out.step));
  const parts = Math.abs(lead - 2) < 1e-6 || Math.abs(lead - 4) < 1e-6 ? 4 : 5;
  const step = out.step / parts;
  for (let k = Math.ceil(scale.low / step); k * step <= scale.high; ++k)
    if (Math.abs(remainder(k * step - out.positions[0], out.step)) > 0.1 * step) out.minor.push(k * step);
}

/** About `wanted` ticks of a scale. */
export function ticksOf(scale: Scale, wanted: number, isCount = false): Ticks {
  // Scales have ticks at round places alone: of few or many of these another number is wanted.
  const most = 12, least = wanted >= 3 ? 3 : 2;
  let best = none(), leastOff = Infinity;
  for (const factor of [1, 1.25, 0.8, 1.6, 0.6, 2, 0.45, 2.8, 4]) {
    const found = ticksFor(scale, wanted * factor, isCount), n = found.positions.length;
    const off = n < least ? least - n : n > most ? n - most : 0;
    if (off < leastOff) {
      leastOff = off;
      best = found;
    }
    if (off === 0) break;
  }
  if (scale.kind === "linear" && !isCount) addMinor(best, scale);
  return best;
}

/** Labels of ticks that were asked for. */
export function labelsOf(positions: number[], scale: Scale): Ticks {
  if (scale.kind === "time") return labelledTimes(positions, scale.low, scale.high);
  const out = none();
  out.positions = positions;
  return withTexts(out);
}

/**
 * A number in a format of the language, [sign][#][0][width][.precision][e f g and the like]; null for what is
 * none of them.
 */
export function formatted(v: number, format: string): string | null {
  const found = /^([+ -]?)(#?)(0?)(\d*)(?:\.(\d+))?([eEfFgG]?)$/.exec(format);
  if (!found) return null;
  const [, sign, , zero, width, precision, type] = found;
  const size = Math.abs(v);
  let text: string;
  if (type === "f" || type === "F") text = fixed(size, precision === undefined ? 6 : Number(precision));
  else if (type === "e" || type === "E") {
    const [digits, e] = exponential(size, precision === undefined ? 6 : Number(precision));
    text = digits + signedExponent(e);
  } else if (type === "g" || type === "G" || precision !== undefined)
    text = general(size, Math.max(1, precision === undefined ? 6 : Number(precision)));
  else text = String(size);
  if (type === "E" || type === "G") text = text.toUpperCase();
  const lead = v < 0 || Object.is(v, -0) ? "-" : sign === "+" || sign === " " ? sign : "";
  const room = Number(width || 0) - lead.length - text.length;
  if (room > 0) text = zero ? lead + "0".repeat(room) + text : " ".repeat(room) + lead + text;
  else text = lead + text;
  return realMinus(text);
}
