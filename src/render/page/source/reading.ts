// What stands under the pointer: the nearest datum, and how it is said.
import type { AxisModel, PanelModel } from "./types";
import type { LayerData } from "./data";
import type { Mapping } from "./ink";
import type { Scale } from "./scale";
import { plainNumber, powerText } from "./axes";
import { formatted } from "./ticks";
import { timeText } from "./times";
import { visibleRange } from "./ink";

export interface Reading {
  panel: number;
  layer: number;
  place: number; // of the datum in its layer
  label: string;
  color: string;
  rows: [name: string, text: string][];
  quantities: (Quantity | null)[]; // of the rows
  x: number; // where it stands, in the data's coordinates
  y: number;
  z?: number;
  distance: number; // from the pointer, points
}

/** "depth (m)" as its name and its unit. */
export function nameAndUnit(title: string | undefined, otherwise: string): [string, string] {
  if (!title) return [otherwise, ""];
  const found = /^(.*?)\s*[([]([^()[\]]*)[)\]]$/.exec(title);
  return found && found[1] ? [found[1], found[2]] : [title, ""];
}

/** A number as it is read: to within a step, with a unit. */
export interface Quantity {
  value: number;
  step: number;
  unit: string;
}

/** A value along an axis: the name of a place that has one, a time, or a number with its unit. */
function read(v: number, axis: AxisModel, scale: Scale, unit: string): string | Quantity {
  if (axis.kind === "time") return isFinite(v) ? timeText(v, (scale.high - scale.low) / 2000) : "no time";
  if (axis.names && Number.isInteger(v) && axis.names[v - 1] !== undefined) return axis.names[v - 1];
  if (axis.format) {
    const text = isFinite(v) ? formatted(v, axis.format) : null;
    if (text !== null) return text + (unit ? " " + unit : "");
  }
  const fine = Math.abs(v) / 1000, own = scale.stepAt(v);
  const step = scale.isLinear ? own : fine > 0 ? Math.min(fine, own) : own;
  return { value: v, step: step > 0 ? step : fine || 1e-3, unit };
}

function textOf(read: string | Quantity): string {
  if (typeof read === "string") return read;
  const { value, step, unit } = read;
  if (!isFinite(value)) return isNaN(value) ? "no value" : value < 0 ? "−∞" : "∞";
  return plainNumber(value, step) + (unit ? " " + unit : "");
}

/** A value along an axis, with its unit. */
export function said(v: number, axis: AxisModel, scale: Scale): string {
  return textOf(read(v, axis, scale, nameAndUnit(axis.title, "")[1]));
}

/** The values of a layer along axes and in colours, as rows. */
export class Rows {
  readonly texts: [name: string, text: string][] = [];
  readonly quantities: (Quantity | null)[] = []; // of the same rows; null where it is no single number
  constructor(private readonly panel: PanelModel, private readonly layer: LayerData,
              private readonly scales: { x: Scale; y: Scale; z?: Scale }) {}

  /** Of a layer on the right axis its y. */
  private axis(which: "x" | "y" | "z"): AxisModel {
    return which === "y" && this.layer.model.on_right ? this.panel.right! : this.panel[which]!;
  }
  private title(which: "x" | "y" | "z"): [string, string] {
    return nameAndUnit(this.axis(which).title ?? this.layer.model[`${which}_name`], which);
  }
  private add(name: string, found: string | Quantity): this {
    this.texts.push([name, textOf(found)]);
    this.quantities.push(typeof found === "string" ? null : found);
    return this;
  }
  private read(which: "x" | "y" | "z", v: number): string | Quantity {
    return read(v, this.axis(which), this.scales[which]!, this.title(which)[1]);
  }
  at(which: "x" | "y" | "z", v: number, name = this.title(which)[0]): this {
    return this.add(name, this.read(which, v));
  }
  span(which: "x" | "y", from: number, to: number, name = this.title(which)[0]): this {
    return this.add(name, `${textOf(this.read(which, from))} … ${textOf(this.read(which, to))}`);
  }
  value(v: number, range: { low: number; high: number } | undefined): this {
    const step = range && range.high > range.low ? (range.high - range.low) / 1000 : Math.abs(v) / 1000 || 1e-3;
    const [name, unit] = nameAndUnit(this.panel.values ?? this.layer.model.z_name, "value");
    return this.add(name, { value: v, step, unit });
  }
  text(name: string, text: string): this {
    return this.add(name, text);
  }
}

/** A column of numbers in one notation: with the same decimals, or all with powers of ten. */
export function columnTexts(column: (Quantity | null)[]): (string | null)[] {
  const finite = column.filter((q): q is Quantity => q !== null && isFinite(q.value));
  if (finite.length === 0) return column.map(() => null);
  const hasPowers = finite.some(({ value, step }) => plainNumber(value, step).includes("×"));
  const exponentOf = (v: number) => (v === 0 ? 0 : Math.floor(Math.log10(Math.abs(v)) + 1e-12));
  let decimals = 0;
  for (const { value, step } of finite) {
    const finest = Math.floor(Math.log10(step) + 1e-12), scale = hasPowers ? exponentOf(value) : 0;
    // As many as its step reports apart, or fewer that say it exactly.
    let d = Math.min(15, Math.max(0, scale - finest));
    const size = Math.abs(value) / Math.pow(10, scale);
    while (d > 0 && Math.abs(Number(size.toFixed(d - 1)) - size) < 1e-12 * size) --d;
    decimals = Math.max(decimals, value === 0 ? 0 : d);
  }
  return column.map((q) => {
    if (q === null || !isFinite(q.value)) return null;
    const { value, unit } = q, scale = hasPowers ? exponentOf(value) : 0;
    const size = (Math.abs(value) / Math.pow(10, scale)).toFixed(decimals);
    const isZero = Number(size) === 0;
    return (value < 0 && !isZero ? "−" : "") + size + (hasPowers ? powerText(scale) : "") + (unit ? " " + unit : "");
  });
}

export interface Found {
  place: number;
  distance: number;
  x: number;
  y: number;
}

/** Of the points of a layer the one nearest to a place of the page. */
function nearestPoint(layer: LayerData, map: Mapping, px: number, py: number, reach: number,
                      yOf: (k: number) => number = (k) => layer.y[k]): Found | null {
  const { x } = layer, [left, top, width, height] = map.area;
  const [from, to] = visibleRange(x, layer.rises, map);
  let best: Found | null = null, least = reach;
  for (let k = from; k < to; ++k) {
    const dx = map.x(x[k]) - px;
    if (!(Math.abs(dx) <= least)) continue;
    const y = yOf(k), at = map.y(y), distance = Math.hypot(dx, at - py);
    if (!(distance < least) || at < top - 1 || at > top + height + 1) continue;
    if (px + dx < left - 1 || px + dx > left + width + 1) continue;
    least = distance;
    best = { place: k, distance, x: x[k], y };
  }
  return best;
}

/** The end of the stretch of a line that runs by a place, when no point of it is near. */
function onStretch(layer: LayerData, map: Mapping, px: number, py: number): Found | null {
  // Of steps the corners, two for each datum.
  const { x, y, rises } = layer.stairs ?? layer, parts = layer.stairs ? 2 : 1;
  const [from, to] = visibleRange(x, rises, map), close = 7, most = 20000;
  if (to - from > most) return null;
  let best: Found | null = null, least = close;
  for (let k = from + 1; k < to; ++k) {
    const ax = map.x(x[k - 1]), ay = map.y(y[k - 1]), dx = map.x(x[k]) - ax, dy = map.y(y[k]) - ay;
    const length2 = dx * dx + dy * dy;
    if (!(length2 > 0)) continue;
    const u = ((px - ax) * dx + (py - ay) * dy) / length2;
    if (u < 0 || u > 1) continue;
    const distance = Math.hypot(px - ax - u * dx, py - ay - u * dy), place = Math.floor((u < 0.5 ? k - 1 : k) / parts);
    const qx = map.x(layer.x[place]), qy = map.y(layer.y[place]), [left, top, width, height] = map.area;
    if (!(distance < least) || qx < left || qx > left + width || qy < top || qy > top + height) continue;
    least = distance;
    best = { place, distance, x: layer.x[place], y: layer.y[place] };
  }
  return best;
}

/** Where a value lies between the edges of cells; -1 outside. */
export function cellOf(edges: Float64Array, v: number): number {
  for (let k = 0; k + 1 < edges.length; ++k) {
    const a = Math.min(edges[k], edges[k + 1]), b = Math.max(edges[k], edges[k + 1]);
    if (v >= a && v <= b) return k;
  }
  return -1;
}

function nearestNode(list: Float64Array, at: (v: number) => number, p: number): number {
  let best = -1, least = Infinity;
  for (let k = 0; k < list.length; ++k) {
    const off = Math.abs(at(list[k]) - p);
    if (off < least) {
      least = off;
      best = k;
    }
  }
  return best;
}

type Finder = (layer: LayerData, map: Mapping, px: number, py: number, reach: number) => Found | null;

const points: Finder = (layer, map, px, py, reach) => nearestPoint(layer, map, px, py, reach);

const inBox: Finder = (layer, map, px, py) => {
  const x = map.xs.at((px - map.area[0]) / map.area[2]), y = map.ys.at((map.area[1] + map.area[3] - py) / map.area[3]);
  const { left, right, low, high } = layer;
  for (let k = 0; k < left.length; ++k) {
    // Small ones are found by their column.
    const lying = layer.model.lying;
    const within = lying ? y >= Math.min(low[k], high[k]) && y <= Math.max(low[k], high[k])
      : x >= Math.min(left[k], right[k]) && x <= Math.max(left[k], right[k]);
    if (!within || !isFinite(low[k] + high[k])) continue;
    const inside = lying ? x >= Math.min(left[k], right[k]) && x <= Math.max(left[k], right[k])
      : y >= Math.min(low[k], high[k]) && y <= Math.max(low[k], high[k]);
    return { place: k, distance: inside ? 0 : 8, x: lying ? right[k] : (left[k] + right[k]) / 2,
             y: lying ? (low[k] + high[k]) / 2 : high[k] };
  }
  return null;
};

const inRegion: Finder = (layer, map, px, py, reach) => {
  const upper = nearestPoint(layer, map, px, py, reach, (k) => layer.high[k]);
  const lower = nearestPoint(layer, map, px, py, reach, (k) => layer.low[k]);
  const edge = upper && lower ? (upper.distance <= lower.distance ? upper : lower) : upper ?? lower;
  if (edge) return edge;
  const x = map.xs.at((px - map.area[0]) / map.area[2]), y = map.ys.at((map.area[1] + map.area[3] - py) / map.area[3]);
  let best = -1, least = Infinity;
  for (let k = 0; k < layer.x.length; ++k)
    if (Math.abs(layer.x[k] - x) < least) {
      least = Math.abs(layer.x[k] - x);
      best = k;
    }
  if (best < 0 || !(y >= layer.low[best] && y <= layer.high[best])) return null;
  return { place: best, distance: 7, x: layer.x[best], y: layer.high[best] };
};

const inCell: Finder = (layer, map, px, py) => {
  const c = cellOf(layer.x, map.xs.at((px - map.area[0]) / map.area[2]));
  const r = cellOf(layer.y, map.ys.at((map.area[1] + map.area[3] - py) / map.area[3]));
  if (c < 0 || r < 0) return null;
  return { place: r * (layer.x.length - 1) + c, distance: 9, x: (layer.x[c] + layer.x[c + 1]) / 2,
           y: (layer.y[r] + layer.y[r + 1]) / 2 };
};

const inField: Finder = (layer, map, px, py) => {
  const c = nearestNode(layer.x, (v) => map.x(v), px), r = nearestNode(layer.y, (v) => map.y(v), py);
  if (c < 0 || r < 0) return null;
  return { place: r * layer.x.length + c, distance: 9, x: layer.x[c], y: layer.y[r] };
};

const kFinders: Partial<Record<string, Finder>> = {
  line: (layer, map, px, py, reach) => nearestPoint(layer, map, px, py, reach) ?? onStretch(layer, map, px, py),
  scatter: points, stems: points, error_bars: points, arrows: points, boxes: inBox, region: inRegion,
  heatmap: inCell, contours: inField, filled_contours: inField,
};

/** The rows that say a datum of a layer in the plane. */
function rowsOf(panel: PanelModel, layer: LayerData, map: Mapping, found: Found): Rows {
  const { model } = layer, k = found.place, rows = new Rows(panel, layer, { x: map.xs, y: map.ys });
  switch (model.kind) {
    case "boxes": {
      const along = model.lying ? "y" : "x", across = model.lying ? "x" : "y";
      const [a, b] = model.lying ? [layer.low[k], layer.high[k]] : [layer.left[k], layer.right[k]];
      const value = model.lying ? layer.right[k] : layer.high[k];
      if (model.histogram) {
        rows.span(along, a, b, "bin");
        const counts = /^counts?$|^$/i.test(panel.y.title ?? "");
        return rows.at(across, value, counts ? "count" : undefined);
      }
      // The position and the value of the bar itself, also when it is grouped or stacked.
      const own = layer.y.length === layer.left.length;
      return rows.at(along, own ? layer.x[k] : (a + b) / 2).at(across, own ? layer.y[k] : value);
    }
    case "region": return rows.at("x", layer.x[k]).span("y", layer.low[k], layer.high[k]);
    case "error_bars": {
      rows.at("x", layer.x[k]).at("y", layer.y[k]).span("y", layer.low[k], layer.high[k], "range");
      if (k < layer.left.length) rows.span("x", layer.left[k], layer.right[k], "range along x");
      return rows;
    }
    case "heatmap": {
      rows.at("x", found.x).at("y", found.y);
      if (!layer.pixels) return rows.value(layer.z[k], model.colors);
      const [r, g, b] = layer.pixels.subarray(4 * k, 4 * k + 3);
      rows.text("colour", "#" + [r, g, b].map((v) => v.toString(16).padStart(2, "0")).join(""));
      return rows;
    }
    case "contours":
    case "filled_contours": {
      const range = model.colors ?? rangeOf(layer.z);
      return rows.at("x", found.x).at("y", found.y).value(layer.z[k], range);
    }
    case "arrows": {
      rows.at("x", layer.x[k]).at("y", layer.y[k]);
      const size = Math.hypot(layer.right[k], layer.high[k]), step = size / 1000 || 1e-3;
      rows.text("along", `(${plainNumber(layer.right[k], step)}, ${plainNumber(layer.high[k], step)})`);
      return rows;
    }
    default:
      rows.at("x", layer.x[k]).at("y", layer.y[k]);
      if (layer.values.length > 0) rows.value(layer.values[k], model.colors);
      return rows;
  }
}

function rangeOf(values: Float64Array): { low: number; high: number } {
  let low = Infinity, high = -Infinity;
  for (const v of values)
    if (isFinite(v)) {
      low = Math.min(low, v);
      high = Math.max(high, v);
    }
  return { low, high };
}

/** The datum nearest to a place of the page; layers drawn last win. */
export function readingAt(panel: number, model: PanelModel, layers: LayerData[], hidden: Set<number>,
                          mapOf: (layer: LayerData) => Mapping, px: number, py: number, reach: number): Reading | null {
  let best: { layer: LayerData; found: Found } | null = null;
  for (const k of model.order) {
    if (hidden.has(k)) continue;
    const found = kFinders[layers[k].model.kind]?.(layers[k], mapOf(layers[k]), px, py, reach);
    if (found && (!best || found.distance <= best.found.distance)) best = { layer: layers[k], found };
  }
  return best ? readingOf(panel, model, best.layer, mapOf(best.layer), best.found) : null;
}

export function readingOf(panel: number, model: PanelModel, layer: LayerData, map: Mapping, found: Found): Reading {
  const rows = rowsOf(model, layer, map, found);
  return { panel, layer: layer.index, place: found.place, label: layer.model.label ?? "",
           color: layer.model.colors ? "" : layer.model.color, rows: rows.texts, quantities: rows.quantities,
           x: found.x, y: found.y, distance: found.distance };
}

/** How many data a layer has, and where each stands: for going through them by keys, and for tables. */
export function countOf(layer: LayerData): number {
  const { kind } = layer.model;
  if (kind === "boxes") return layer.left.length;
  if (kind === "heatmap") return (layer.x.length - 1) * (layer.y.length - 1);
  if (kind === "contours" || kind === "filled_contours") return layer.x.length * layer.y.length;
  return layer.x.length;
}

export function datumOf(layer: LayerData, k: number): Found {
  const { kind, lying } = layer.model;
  if (kind === "boxes")
    return { place: k, distance: 0, x: lying ? layer.right[k] : (layer.left[k] + layer.right[k]) / 2,
             y: lying ? (layer.low[k] + layer.high[k]) / 2 : layer.high[k] };
  if (kind === "heatmap") {
    const columns = layer.x.length - 1, c = k % columns, r = (k - c) / columns;
    return { place: k, distance: 0, x: (layer.x[c] + layer.x[c + 1]) / 2, y: (layer.y[r] + layer.y[r + 1]) / 2 };
  }
  if (kind === "contours" || kind === "filled_contours") {
    const columns = layer.x.length, c = k % columns;
    return { place: k, distance: 0, x: layer.x[c], y: layer.y[(k - c) / columns] };
  }
  return { place: k, distance: 0, x: layer.x[k], y: kind === "region" ? layer.high[k] : layer.y[k] };
}
