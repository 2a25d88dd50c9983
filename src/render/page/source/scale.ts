// How values are spread along an axis: as src/figure/scale.cpp has it.
import type { ScaleKind } from "./types";

export class Scale {
  private readonly unit: number;
  private readonly from: number;
  private readonly to: number;
  constructor(readonly kind: ScaleKind, readonly low: number, readonly high: number, readonly reverse = false) {
    this.unit = kind === "signed_log" ? threshold(low, high) : 1;
    this.from = this.bent(low);
    this.to = this.bent(high);
  }

  /** Linear in the place along the axis; halved, so that differences of the largest numbers do not overflow. */
  private bent(v: number): number {
    if (this.kind === "log") return v > 0 ? Math.log(v) : NaN;
    if (this.kind === "signed_log") return Math.asinh(v / this.unit);
    return v / 2;
  }

  /** From 0 to 1; NaN when it has no place. */
  share(v: number): number {
    const s = (this.bent(v) - this.from) / (this.to - this.from);
    return this.reverse ? 1 - s : s;
  }

  at(share: number): number {
    const s = this.reverse ? 1 - share : share;
    if (this.kind === "log") return Math.exp(this.from + s * (this.to - this.from));
    if (this.kind === "signed_log") return this.unit * Math.sinh(this.from + s * (this.to - this.from));
    return this.low + s * (this.high - this.low);
  }

  /** How far apart values near `v` are that stand a thousandth of the axis apart. */
  stepAt(v: number): number {
    const range = this.to - this.from;
    const bend = this.kind === "log" ? Math.abs(v) : this.kind === "signed_log" ? Math.hypot(v, this.unit) : 2;
    return (Math.abs(range) * bend) / 1000;
  }

  get threshold(): number {
    return threshold(this.low, this.high);
  }

  get isLinear(): boolean {
    return this.kind === "linear" || this.kind === "time";
  }
}

function threshold(low: number, high: number): number {
  const largest = Math.max(Math.abs(low), Math.abs(high));
  return largest > 0 ? Number("1e" + (Math.floor(Math.log10(largest)) - 3)) : 1;
}

/** Limits a little wider than the data: padded_limits() of the program. */
export function paddedLimits(low: number, high: number, kind: ScaleKind, tightLow: boolean,
                             tightHigh: boolean): [number, number] {
  const share = 0.03, largest = 1.7e308, smallest = 1e-307;
  if (kind === "log") {
    if (!(low <= high) || !(high > 0)) return [1, 10];
    if (!(low > 0)) low = Math.max(smallest, high / 1000);
    if (low === high) return [Math.max(smallest, low / 2), Math.min(largest, high * 2)];
    const factor = Math.pow(high / low, share);
    if (!isFinite(factor)) return [low, high];
    return [tightLow ? low : Math.max(smallest, low / factor), tightHigh ? high : Math.min(largest, high * factor)];
  }
  if (!(low <= high)) return [0, 1];
  if (kind === "signed_log" && low < high) {
    const unit = threshold(low, high), from = Math.asinh(low / unit), to = Math.asinh(high / unit), bent = (to - from) * share;
    return [tightLow ? low : Math.max(-largest, unit * Math.sinh(from - bent)),
            tightHigh ? high : Math.min(largest, unit * Math.sinh(to + bent))];
  }
  const room = low === high ? (low === 0 ? 1 : Math.abs(low) * 0.1) : (high - low) * share;
  if (!isFinite(room)) return [low, high];
  if (low === high) tightHigh = false;
  const out: [number, number] = [tightLow ? low : Math.max(-largest, low - room),
                                 tightHigh ? high : Math.min(largest, high + room)];
  const near = 0.05 * (out[1] - out[0]);
  if (kind === "linear" && !tightLow && out[0] > 0 && out[0] < near) out[0] = 0;
  if (kind === "linear" && !tightHigh && out[1] < 0 && out[1] > -near) out[1] = 0;
  return out;
}
