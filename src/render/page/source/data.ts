// Numbers of the model, unpacked.
import type { LayerModel, Packed } from "./types";

async function inflated(base64: string): Promise<Uint8Array> {
  const text = atob(base64);
  const bytes = new Uint8Array(text.length);
  for (let k = 0; k < text.length; ++k) bytes[k] = text.charCodeAt(k);
  const stream = new Blob([bytes]).stream().pipeThrough(new DecompressionStream("deflate"));
  return new Uint8Array(await new Response(stream).arrayBuffer());
}

/** The float64 whose first bytes stand first, then all second ones, … */
export function unshuffled(bytes: Uint8Array, n: number): Float64Array {
  const out = new Uint8Array(8 * n);
  for (let b = 0; b < 8; ++b)
    for (let k = 0, from = b * n; k < n; ++k) out[8 * k + b] = bytes[from + k];
  return new Float64Array(out.buffer);
}

export async function unpacked(packed: Packed | undefined): Promise<Float64Array> {
  if (!packed) return new Float64Array(0);
  if (Array.isArray(packed)) return Float64Array.from(packed);
  if ("step" in packed) {
    const out = new Float64Array(packed.n);
    for (let k = 0; k < packed.n; ++k) out[k] = packed.from + k * packed.step;
    return out;
  }
  return unshuffled(await inflated(packed.z), packed.n);
}

/** Colours as [r, g, b] rows, 0 to 255. */
export class Palette {
  private readonly rows: Uint8Array;
  readonly last: number;
  constructor(hex: string) {
    this.last = hex.length / 6 - 1;
    this.rows = new Uint8Array(hex.length / 2);
    for (let k = 0; k < this.rows.length; ++k) this.rows[k] = parseInt(hex.slice(2 * k, 2 * k + 2), 16);
  }
  /** The place of the colour of a share in `rgb`. */
  index(share: number): number {
    const s = share < 0 ? 0 : share > 1 ? 1 : share;
    return 3 * Math.round(s * this.last);
  }
  get rgb(): Uint8Array {
    return this.rows;
  }
}

export interface LevelData {
  value: number;
  color: string;
  x: Float64Array;
  y: Float64Array;
  label?: import("./types").Line;
}

/** The corners of a stairway, two for each datum. */
export interface Stairs {
  x: Float64Array;
  y: Float64Array;
  rises: boolean;
}

function stairsOf(x: Float64Array, y: Float64Array, hold: string): Stairs {
  const n = x.length, out = { x: new Float64Array(2 * n), y: new Float64Array(2 * n), rises: false };
  for (let k = 0; k < n; ++k) {
    const here = x[k], before = k > 0 ? x[k - 1] : here, after = k + 1 < n ? x[k + 1] : here;
    out.x[2 * k] = hold === "after" ? here : hold === "before" ? before : (before + here) / 2;
    out.x[2 * k + 1] = hold === "after" ? after : hold === "before" ? here : (here + after) / 2;
    out.y[2 * k] = out.y[2 * k + 1] = y[k];
  }
  out.rises = rises(out.x);
  return out;
}

export interface LayerData {
  model: LayerModel;
  index: number;
  x: Float64Array;
  y: Float64Array;
  z: Float64Array;
  left: Float64Array;
  right: Float64Array;
  low: Float64Array;
  high: Float64Array;
  values: Float64Array;
  pixels: Uint8Array | null;
  levels: LevelData[];
  palette: Palette | null;
  rises: boolean; // x never falls, so that places are found by halving
  stairs: Stairs | null; // what steps draw
  isolated?: number[]; // places whose neighbours on both sides are gaps; found when they are drawn first
  picture?: HTMLCanvasElement; // of a field
}

function rises(x: Float64Array): boolean {
  for (let k = 1; k < x.length; ++k) if (!(x[k] >= x[k - 1])) return false;
  return true;
}

export async function layerData(model: LayerModel, index: number, palettes: Map<string, Palette>): Promise<LayerData> {
  const [x, y, z, left, right, low, high, values] = await Promise.all(
    [model.x, model.y, model.z, model.left, model.right, model.low, model.high, model.values].map(unpacked));
  let pixels: Uint8Array | null = null;
  if (model.pixels) {
    const text = atob(model.pixels);
    pixels = new Uint8Array(text.length);
    for (let k = 0; k < text.length; ++k) pixels[k] = text.charCodeAt(k);
  }
  const levels: LevelData[] = [];
  for (const level of model.levels ?? [])
    levels.push({ value: level.value ?? -Infinity, color: level.color, label: level.label,
                  x: await unpacked(level.x), y: await unpacked(level.y) });
  return { model, index, x, y, z, left, right, low, high, values, pixels, levels,
           stairs: model.hold ? stairsOf(x, y, model.hold) : null,
           palette: model.colors ? palettes.get(model.colors.palette)! : null, rises: rises(x) };
}

/** The share of a value along a range of colours. */
export function shareOf(value: number, colors: { low: number; high: number }): number {
  return colors.high > colors.low ? (value / 2 - colors.low / 2) / (colors.high / 2 - colors.low / 2) : 0.5;
}

/** The first place in a rising list whose number is at least `value`. */
export function lowerBound(list: Float64Array, value: number): number {
  let low = 0, high = list.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (list[middle] < value) low = middle + 1;
    else high = middle;
  }
  return low;
}
