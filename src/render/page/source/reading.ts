// What stands under the pointer: the nearest datum, and how it is said.
import type { AxisModel, PanelModel } from "./types";
import type { LayerData } from "./data";
import type { Mapping } from "./ink";
import type { Scale } from "./scale";
import { plainNumber, readNumber } from "./axes";
import { timeText } from "./times";
import { visibleRange } from "./ink";

export interface Reading {
  panel: number;
  layer: number;
  place: number; // of the datum in its layer
  label: string;
  color: string;
  rows: [name: string, text: string][];
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

/** A value along an axis, with its unit. */
export function said(v: number, axis: AxisModel, scale: Scale): string {
  if (axis.kind === "time") return isFinite(v) ? timeText(v, (scale.high - scale.low) / 2000) : "no time";
  // Places with names are said by them.
  if (axis.labels && axis.ticks) {
    const k = axis.ticks.findIndex((t) => Math.abs(t - v) < 1e-9 * Math.max(1, Math.abs(t)));
    if (k >= 0 && axis.labels[k]) return axis.labels[k].runs.map((run) => run[0]).join("");
  }
  const [, unit] = nameAndUnit(axis.title, "");
  return readNumber(v, axis, scale) + (unit ? " " + unit : "");
}

/** The values of a layer along axes and in colours, as rows. */
class Rows {
  readonly rows: [string, string][] = [];
  constructor(private readonly panel: PanelModel, private readonly layer: LayerData, private readonly map: Mapping) {}
  private name(which: "x" | "y"): string {
    const named = this.layer.model[which === "x" ? "x_name" : "y_name"];
    return nameAndUnit(this.panel[which].title ?? named, which)[0];
  }
  at(which: "x" | "y", v: number, name = this.name(which)): this {
    this.rows.push([name, said(v, this.panel[which], which === "x" ? this.map.xs : this.map.ys)]);
    return this;
  }
  span(which: "x" | "y", from: number, to: number, name = this.name(which)): this {
    const axis = this.panel[which], scale = which === "x" ? this.map.xs : this.map.ys;
    this.rows.push([name, `${said(from, axis, scale)} … ${said(to, axis, scale)}`]);
    return this;
  }
  value(v: number, range: { low: number; high: number } | undefined): this {
    const step = range && range.high > range.low ? (range.high - range.low) / 1000 : Math.abs(v) / 1000 || 1e-3;
    const [name, unit] = nameAndUnit(this.panel.values ?? this.layer.model.z_name, "value");
    this.rows.push([name, isFinite(v) ? plainNumber(v, step) + (unit ? " " + unit : "") : "no value"]);
    return this;
  }
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
  const { x, y } = layer, [from, to] = visibleRange(x, layer.rises, map), close = 7, most = 20000;
  if (to - from > most) return null;
  let best: Found | null = null, least = close;
  for (let k = from + 1; k < to; ++k) {
    const ax = map.x(x[k - 1]), ay = map.y(y[k - 1]), dx = map.x(x[k]) - ax, dy = map.y(y[k]) - ay;
    const length2 = dx * dx + dy * dy;
    if (!(length2 > 0)) continue;
    const u = ((px - ax) * dx + (py - ay) * dy) / length2;
    if (u < 0 || u > 1) continue;
    const distance = Math.hypot(px - ax - u * dx, py - ay - u * dy), place = u < 0.5 ? k - 1 : k;
    const qx = map.x(x[place]), qy = map.y(y[place]), [left, top, width, height] = map.area;
    if (!(distance < least) || qx < left || qx > left + width || qy < top || qy > top + height) continue;
    least = distance;
    best = { place, distance, x: x[place], y: y[place] };
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
export function rowsOf(panel: PanelModel, layer: LayerData, map: Mapping, found: Found): [string, string][] {
  const { model } = layer, k = found.place, rows = new Rows(panel, layer, map);
  switch (model.kind) {
    case "boxes": {
      const along = model.lying ? "y" : "x", across = model.lying ? "x" : "y";
      const [a, b] = model.lying ? [layer.low[k], layer.high[k]] : [layer.left[k], layer.right[k]];
      const value = model.lying ? layer.right[k] : layer.high[k];
      if (model.histogram) {
        rows.span(along, a, b, "bin");
        const counts = /^counts?$|^$/i.test(panel.y.title ?? "");
        return rows.at(across, value, counts ? "count" : undefined).rows;
      }
      rows.at(along, (a + b) / 2).at(across, value);
      const start = model.lying ? layer.left[k] : layer.low[k];
      if (start !== (model.base ?? 0)) rows.at(across, start, "from");
      return rows.rows;
    }
    case "region": return rows.at("x", layer.x[k]).span("y", layer.low[k], layer.high[k]).rows;
    case "error_bars": {
      rows.at("x", layer.x[k]).at("y", layer.y[k]).span("y", layer.low[k], layer.high[k], "range");
      if (k < layer.left.length) rows.span("x", layer.left[k], layer.right[k], "range along x");
      return rows.rows;
    }
    case "heatmap": {
      rows.at("x", found.x).at("y", found.y);
      if (!layer.pixels) return rows.value(layer.z[k], model.colors).rows;
      const [r, g, b] = layer.pixels.subarray(4 * k, 4 * k + 3);
      rows.rows.push(["colour", "#" + [r, g, b].map((v) => v.toString(16).padStart(2, "0")).join("")]);
      return rows.rows;
    }
    case "contours":
    case "filled_contours": {
      const range = model.colors ?? rangeOf(layer.z);
      return rows.at("x", found.x).at("y", found.y).value(layer.z[k], range).rows;
    }
    case "arrows": {
      rows.at("x", layer.x[k]).at("y", layer.y[k]);
      const size = Math.hypot(layer.right[k], layer.high[k]), step = size / 1000 || 1e-3;
      rows.rows.push(["along", `(${plainNumber(layer.right[k], step)}, ${plainNumber(layer.high[k], step)})`]);
      return rows.rows;
    }
    default:
      rows.at("x", layer.x[k]).at("y", layer.y[k]);
      if (layer.values.length > 0) rows.value(layer.values[k], model.colors);
      return rows.rows;
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
export function readingAt(panel: number, model: PanelModel, layers: LayerData[], hidden: Set<number>, map: Mapping,
                          px: number, py: number, reach: number): Reading | null {
  let best: { layer: LayerData; found: Found } | null = null;
  for (const k of model.order) {
    if (hidden.has(k)) continue;
    const found = kFinders[layers[k].model.kind]?.(layers[k], map, px, py, reach);
    if (found && (!best || found.distance <= best.found.distance)) best = { layer: layers[k], found };
  }
  return best ? readingOf(panel, model, best.layer, map, best.found) : null;
}

export function readingOf(panel: number, model: PanelModel, layer: LayerData, map: Mapping, found: Found): Reading {
  return { panel, layer: layer.index, place: found.place, label: layer.model.label ?? "",
           color: layer.model.colors ? "" : layer.model.color, rows: rowsOf(model, layer, map, found),
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
