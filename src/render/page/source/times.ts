// Ticks of an axis of time: as src/figure/time_ticks.cpp has it. Seconds since 1970, UTC.
import { fixed, linearTicks, tickTexts, type Ticks } from "./ticks";

const kMost = 2e11, kMinute = 60, kHour = 3600, kDay = 86400, kMonth = 30.44 * kDay, kYear = 365.2425 * kDay;
const kSteps: [seconds: number, months: number][] = [
  ...[1, 2, 5, 10, 15, 30].map((s): [number, number] => [s, 0]),
  ...[1, 2, 5, 10, 15, 30].map((m): [number, number] => [m * kMinute, 0]),
  ...[1, 2, 3, 6, 12].map((h): [number, number] => [h * kHour, 0]),
  ...[1, 2, 7, 14].map((d): [number, number] => [d * kDay, 0]),
  ...[1, 2, 3, 6].map((m): [number, number] => [m * kMonth, m]),
  ...[1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000].map((y): [number, number] => [y * kYear, y * 12]),
];
const kNames = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];

interface CalendarDate {
  year: number;
  month: number; // 1 to 12
  day: number;
  second: number; // of the day
}

function daysFromCivil(year: number, month: number, day: number): number {
  const date = new Date(0);
  date.setUTCFullYear(year, month - 1, day);
  return Math.round(date.getTime() / 86400000);
}

export function calendarDate(t: number): CalendarDate {
  const days = Math.floor(t / kDay), date = new Date(days * 86400000);
  return { year: date.getUTCFullYear(), month: date.getUTCMonth() + 1, day: date.getUTCDate(),
           second: t - days * kDay };
}

function stepFor(range: number, wanted: number): [number, number] {
  let best = kSteps[0], least = Infinity;
  for (const step of kSteps) {
    const off = Math.abs(Math.log(range / step[0] / wanted));
    if (off >= least) continue;
    least = off;
    best = step;
  }
  return best;
}

function calendarPositions(low: number, high: number, months: number): number[] {
  const out: number[] = [], first = calendarDate(low);
  let index = first.year * 12 + first.month - 1;
  index -= ((index % months) + months) % months;
  for (; ; index += months) {
    const year = Math.floor(index / 12), t = daysFromCivil(year, index - 12 * year + 1, 1) * kDay;
    if (t > high) return out;
    if (t >= low) out.push(t);
  }
}

function clockPositions(low: number, high: number, step: number): number[] {
  const out: number[] = [], origin = step % (7 * kDay) === 0 ? 4 * kDay : 0;
  for (let k = Math.ceil((low - origin) / step); origin + k * step <= high; ++k) out.push(origin + k * step);
  return out;
}

const enum Finest { second, minute, day, month, year }

function finestOf(positions: number[]): Finest {
  let finest = Finest.year;
  for (const t of positions) {
    const date = calendarDate(t);
    const here = date.second % kMinute !== 0 ? Finest.second
      : date.second !== 0 ? Finest.minute
      : date.day !== 1 ? Finest.day
      : date.month !== 1 ? Finest.month
      : Finest.year;
    finest = Math.min(finest, here);
  }
  return finest;
}

const dayOf = (date: CalendarDate) => `${date.day} ${kNames[date.month - 1]}`;
const two = (v: number) => String(v).padStart(2, "0");

/** `decimals`: of the seconds. */
function labelOf(t: number, finest: Finest, decimals: number): string {
  const date = calendarDate(t), second = date.second;
  if (finest === Finest.year) return String(date.year);
  if (finest === Finest.month) return date.month === 1 ? String(date.year) : kNames[date.month - 1];
  if (finest === Finest.day || second === 0) return dayOf(date);
  const hour = Math.trunc(second / kHour), minute = Math.trunc((second % kHour) / kMinute);
  if (finest === Finest.minute) return `${two(hour)}:${two(minute)}`;
  const rest = second % kMinute;
  return `${two(hour)}:${two(minute)}:${fixed(rest, decimals).padStart(decimals > 0 ? decimals + 3 : 2, "0")}`;
}

/** How many decimals of a second tell them apart and say them exactly: 0 to `kMostDecimals`, or more. */
const kMostDecimals = 3;
function decimalsFor(positions: number[]): number {
  let nearest = Infinity;
  positions.forEach((t, k) => {
    const apart = k > 0 ? Math.abs(t - positions[k - 1]) : 0;
    if (apart > 0) nearest = Math.min(nearest, apart);
  });
  if (!isFinite(nearest)) nearest = 1;
  for (let d = 0, unit = 1; d <= kMostDecimals; ++d, unit *= 10)
    if (positions.every((t) => {
      const rest = t - Math.floor(t), said = Math.floor(rest * unit + 0.5) / unit;
      return Math.abs(said - rest) < 1e-3 * nearest || Math.floor(t) + said === t;
    })) return d;
  return kMostDecimals + 1;
}

/** The shortest decimal number of seconds from a whole one that is this point in time. */
function secondsBetween(whole: number, t: number): number {
  const seconds = t - whole;
  for (let d = 0, unit = 1; d < 9; ++d, unit *= 10) {
    const said = Math.floor(seconds * unit + 0.5) / unit;
    if (whole + said === t) return said;
  }
  return seconds;
}

/** Seconds from a whole one, as numbers: what a clock would not tell apart. */
function secondsFrom(positions: number[]): Ticks {
  const whole = Math.floor(Math.min(...positions));
  const { labels, common } = tickTexts(positions.map((t) => secondsBetween(whole, t)));
  return { positions, labels, common, step: 0, minor: [], context: `seconds from ${timeText(whole, 1)}` };
}

function contextOf(positions: number[], low: number, high: number, finest: Finest): string {
  const from = calendarDate(low), to = calendarDate(high);
  const showsYear = positions.some((t) => finest === Finest.year ||
    (finest === Finest.month && calendarDate(t).month === 1));
  if (showsYear) return "";
  if (finest >= Finest.day) return from.year === to.year ? String(from.year) : `${from.year}–${to.year}`;
  if (positions.some((t) => calendarDate(t).second === 0)) return String(from.year);
  if (from.year === to.year && from.month === to.month && from.day === to.day) return `${dayOf(from)} ${from.year}`;
  return `${dayOf(from)} to ${dayOf(to)} ${to.year}`;
}

export function labelledTimes(positions: number[], low: number, high: number): Ticks {
  const out: Ticks = { positions, labels: [], common: [], step: 0, minor: [], context: "" };
  if (positions.some((t) => !(Math.abs(t) < kMost))) {
    out.labels = tickTexts(positions).labels;
    return out;
  }
  if (positions.length === 0) return out;
  const finest = finestOf(positions), decimals = finest === Finest.second ? decimalsFor(positions) : 0;
  if (decimals > kMostDecimals) return secondsFrom(positions);
  out.labels = positions.map((t) => labelOf(t, finest, decimals));
  out.context = contextOf(positions, low, high, finest);
  return out;
}

export function timeTicks(low: number, high: number, wanted: number): Ticks {
  if (!(Math.abs(low) < kMost && Math.abs(high) < kMost)) return linearTicks(low, high, wanted);
  if (high - low < 5) {
    const whole = Math.floor(low);
    let positions = linearTicks(low - whole, high - whole, wanted).positions.map((t) => t + whole);
    // Ranges of a few steps between numbers: two may have become one.
    positions = positions.filter((t, k) => t >= low && t <= high && (k === 0 || t !== positions[k - 1]));
    if (positions.length < 2 && low < high) positions = [low, high];
    return labelledTimes(positions, low, high);
  }
  const [seconds, months] = stepFor(high - low, wanted);
  const out = labelledTimes(months > 0 ? calendarPositions(low, high, months) : clockPositions(low, high, seconds),
                            low, high);
  out.step = seconds;
  return out;
}

/** A point in time, as fine as a resolution in seconds asks for: 2026-06-04 13:20:05.25. */
export function timeText(t: number, resolution: number): string {
  if (!(Math.abs(t) < kMost)) return String(t);
  const decimals = resolution >= 1 ? 0 : Math.min(6, Math.ceil(-Math.log10(resolution)));
  const unit = Math.pow(10, decimals), date = calendarDate(Math.round(t * unit) / unit);
  const day = `${String(date.year).padStart(4, "0")}-${two(date.month)}-${two(date.day)}`;
  if (resolution >= kDay && date.second === 0) return day;
  const hour = Math.floor(date.second / kHour), minute = Math.floor((date.second % kHour) / kMinute);
  const clock = `${day} ${two(hour)}:${two(minute)}`, rest = date.second % kMinute;
  if (resolution >= kMinute && rest === 0) return clock;
  return `${clock}:${decimals > 0 ? fixed(rest, decimals).padStart(decimals + 3, "0") : two(Math.round(rest))}`;
}
