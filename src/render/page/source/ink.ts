// Strokes and markers on a canvas, in points of the page: as src/figure/curve.cpp and src/render draw them.
import type { Box } from "./types";
import type { Scale } from "./scale";
import { lowerBound } from "./data";
import type { Raster } from "./raster";

/** From data to points of the page. */
export class Mapping {
  private readonly linearX: boolean;
  private readonly linearY: boolean;
  private readonly ax: number;
  private readonly bx: number;
  private readonly ay: number;
  private readonly by: number;
  constructor(readonly xs: Scale, readonly ys: Scale, readonly area: Box) {
    const [left, top, width, height] = area;
    const line = (scale: Scale, start: number, length: number): [boolean, number, number] => {
      const range = scale.high - scale.low;
      if (!scale.isLinear || !isFinite(range)) return [false, 0, 0];
      const b = length / range;
      return scale.reverse ? [true, start + length + b * scale.low, -b] : [true, start - b * scale.low, b];
    };
    [this.linearX, this.ax, this.bx] = line(xs, left, width);
    [this.linearY, this.ay, this.by] = line(ys, top + height, -height);
    // Far from 0 the one product loses digits that the difference keeps.
    const safe = (scale: Scale) => Math.max(Math.abs(scale.low), Math.abs(scale.high)) < 1e6 * Math.abs(scale.high - scale.low);
    this.linearX &&= safe(xs);
    this.linearY &&= safe(ys);
  }
  x(v: number): number {
    return this.linearX ? this.ax + this.bx * v : this.area[0] + this.xs.share(v) * this.area[2];
  }
  y(v: number): number {
    return this.linearY ? this.ay + this.by * v : this.area[1] + this.area[3] - this.ys.share(v) * this.area[3];
  }
  /** A value's place down the page, held near the area. */
  down(v: number): number {
    const at = this.y(v), [, top, , height] = this.area;
    return isFinite(at) ? Math.min(top + height + 50, Math.max(top - 50, at)) : top + height;
  }
  across(v: number): number {
    const at = this.x(v), [left, , width] = this.area;
    return isFinite(at) ? Math.min(left + width + 50, Math.max(left - 50, at)) : left;
  }
}

export function setDash(ctx: CanvasRenderingContext2D, dash: string | undefined, width: number): void {
  const w = Math.max(width, 0.6);
  const lengths = dash === "dashed" ? [4.5 * w, 2.6 * w] : dash === "dotted" ? [0.01, 2.3 * w]
    : dash === "dash_dot" ? [5 * w, 2.4 * w, 0.01, 2.4 * w] : [];
  ctx.setLineDash(lengths);
  ctx.lineCap = dash === "dotted" || dash === "dash_dot" ? "round" : "butt";
  ctx.lineJoin = "round";
}

/** The points of the list that matter for a view: a range of it, when x rises, with a neighbour on each side. */
export function visibleRange(x: Float64Array, rises: boolean, map: Mapping): [number, number] {
  if (!rises) return [0, x.length];
  const ends = [map.xs.low, map.xs.high];
  return [Math.max(0, lowerBound(x, Math.min(...ends)) - 2), Math.min(x.length, lowerBound(x, Math.max(...ends)) + 2)];
}

/**
 * The first, lowest, highest and last of the points in each narrow column of the page: from `many` points on they
 * draw the same picture.
 */
export function thinned(x: Float64Array, y: Float64Array, from: number, to: number, map: Mapping): [Float64Array, Float64Array] {
  const many = 20000;
  if (to - from <= many) return [x.subarray(from, to), y.subarray(from, to)];
  const xs: number[] = [], ys: number[] = [];
  const scale = 4, left = map.area[0];
  let column = NaN, first = 0, low = 0, high = 0;
  const flush = (end: number) => {
    if (isNaN(column)) return;
    const last = end - 1, a = low < high ? low : high, b = low < high ? high : low;
    xs.push(x[first]);
    ys.push(y[first]);
    if (a !== first && a !== last) {
      xs.push(x[a]);
      ys.push(y[a]);
    }
    if (b !== a && b !== first && b !== last) {
      xs.push(x[b]);
      ys.push(y[b]);
    }
    if (last !== first) {
      xs.push(x[last]);
      ys.push(y[last]);
    }
  };
  for (let k = from; k < to; ++k) {
    const v = y[k], here = isFinite(v) ? Math.floor((map.x(x[k]) - left) * scale) : NaN;
    if (here === column) {
      if (v < y[low]) low = k;
      if (v > y[high]) high = k;
      continue;
    }
    flush(k);
    column = here;
    first = low = high = k;
    if (!isFinite(here)) {
      column = NaN;
      xs.push(NaN);
      ys.push(0);
    }
  }
  flush(to);
  return [Float64Array.from(xs), Float64Array.from(ys)];
}

/**
 * A line with several points in each column of pixels, drawn column by column: what a stroke of this width covers, at
 * a hundredth of its cost. False when the points are not so dense. `origin` is the corner of the canvas.
 */
export function drawDense(ctx: CanvasRenderingContext2D, raster: Raster, x: Float64Array, y: Float64Array, from: number, to: number,
                          map: Mapping, color: string, width: number, pixels: number, origin: [number, number]): boolean {
  const dense = 3, [left, top, across, down] = map.area, { width: columns, height: rows } = ctx.canvas;
  if (to - from < dense * across * pixels) return false;
  // Quarters of columns, so that the gaps between peaks are seen.
  const parts = 4, strips = parts * columns, low = new Float32Array(strips).fill(Infinity), high = new Float32Array(strips).fill(-Infinity);
  let bx = NaN, by = NaN;
  for (let k = from; k < to; ++k) {
    const px = (map.x(x[k]) - origin[0]) * pixels * parts, py = (map.y(y[k]) - origin[1]) * pixels;
    if (!(px === px && py === py)) {
      bx = NaN;
      continue;
    }
    const c = px < -1 ? -1 : px > strips ? strips : Math.floor(px), before = bx < -1 ? -1 : bx > strips ? strips : Math.floor(bx);
    if (c >= 0 && c < strips) {
      if (py < low[c]) low[c] = py;
      if (py > high[c]) high[c] = py;
    }
    // The stretch between two strips goes through both, and through those between them.
    for (let q = before; q <= c && before < c; ++q) {
      if (q < 0 || q >= strips) continue;
      const slope = (py - by) / (px - bx), u = by + (Math.max(bx, q) - bx) * slope, v = by + (Math.min(px, q + 1) - bx) * slope;
      if (Math.min(u, v) < low[q]) low[q] = Math.min(u, v);
      if (Math.max(u, v) > high[q]) high[q] = Math.max(u, v);
    }
    bx = px;
    by = py;
  }
  // Wider by the half width of the line, round at the ends.
  const r = (width * pixels) / 2, reach = Math.floor(r * parts), data = raster.begin(columns, rows);
  const outs = Float32Array.from({ length: 2 * reach + 1 }, (_, d) => Math.sqrt(Math.max(0, r * r - ((d - reach) / parts) ** 2)));
  const rgb = parseInt(color.slice(5, 7) + color.slice(3, 5) + color.slice(1, 3), 16);
  const firstColumn = Math.max(0, Math.round((left - origin[0]) * pixels)), endColumn = Math.min(columns, Math.round((left + across - origin[0]) * pixels));
  const firstRow = Math.max(0, Math.round((top - origin[1]) * pixels)), endRow = Math.min(rows, Math.round((top + down - origin[1]) * pixels));
  let highest = endRow, lowest = firstRow;
  const change = new Float32Array(rows + 2); // of the covered share from row to row
  for (let c = firstColumn; c < endColumn; ++c) {
    let first = endRow, end = firstRow;
    for (let strip = parts * c; strip < parts * (c + 1); ++strip) {
      let a = Infinity, b = -Infinity;
      for (let d = Math.max(-reach, -strip), stop = Math.min(reach, strips - 1 - strip); d <= stop; ++d) {
        const q = strip + d, out = outs[d + reach];
        if (low[q] - out < a) a = low[q] - out;
        if (high[q] + out > b) b = high[q] + out;
      }
      a = Math.max(a, firstRow);
      b = Math.min(b, endRow);
      if (!(a < b)) continue;
      const ra = Math.floor(a), rb = Math.floor(b);
      change[ra] += ra + 1 - a;
      change[ra + 1] += a - ra;
      change[rb] -= rb + 1 - b;
      change[rb + 1] -= b - rb;
      if (ra < first) first = ra;
      if (rb + 1 > end) end = rb + 1;
    }
    if (first < highest) highest = first;
    if (end > lowest) lowest = end;
    let cover = 0;
    for (let row = first, at = first * columns + c; row <= end; ++row, at += columns) {
      cover += change[row];
      change[row] = 0;
      if (row < endRow) data[at] = ((Math.max(0, Math.min(1, cover / parts)) * 255 + 0.5) << 24) | rgb;
    }
    change[end + 1] = 0;
  }
  raster.drawOnto(ctx, highest, lowest);
  return true;
}

/** Adds the line through the points to the path of the canvas, cut a little beyond the area. */
export function traceLine(ctx: CanvasRenderingContext2D, x: Float64Array, y: Float64Array, map: Mapping): void {
  const beyond = 20, [left, top, width, height] = map.area;
  const x0 = left - beyond, x1 = left + width + beyond, y0 = top - beyond, y1 = top + height + beyond;
  let hasBefore = false, joined = false, bx = 0, by = 0;
  for (let k = 0; k < x.length; ++k) {
    const px = map.x(x[k]), py = map.y(y[k]);
    if (!isFinite(px) || !isFinite(py)) {
      hasBefore = joined = false;
      continue;
    }
    if (hasBefore) {
      const inside = px >= x0 && px <= x1 && py >= y0 && py <= y1;
      if (joined && inside) {
        ctx.lineTo(px, py);
      } else {
        // Y.-D. Liang, B. A. Barsky, 1984.
        let from = 0, to = 1;
        const dx = px - bx, dy = py - by;
        const edge = (p: number, q: number) => {
          if (p === 0) return q >= 0;
          const t = q / p;
          if (p < 0) from = Math.max(from, t);
          else to = Math.min(to, t);
          return from <= to;
        };
        joined = false;
        if (edge(-dx, bx - x0) && edge(dx, x1 - bx) && edge(-dy, by - y0) && edge(dy, y1 - by)) {
          ctx.moveTo(bx + from * dx, by + from * dy);
          ctx.lineTo(bx + to * dx, by + to * dy);
          joined = to === 1;
        }
      }
    }
    bx = px;
    by = py;
    hasBefore = true;
  }
}

// -- markers

export interface Outline {
  radius: number;
  pieces: [number, number][][];
  closed: boolean;
  stroke: number;
  filled: boolean; // with the paper's colour, under the line
}

export function markerOutline(shape: string, size: number): Outline {
  const r = size / 2;
  const out: Outline = { radius: 0, pieces: [], closed: true, stroke: 0, filled: false };
  if (shape === "cross" || shape === "plus" || shape === "ring") out.stroke = Math.max(0.9, size * 0.2);
  if (shape === "square") {
    const d = r * 0.88;
    out.pieces = [[[-d, -d], [d, -d], [d, d], [-d, d]]];
  } else if (shape === "diamond") out.pieces = [[[0, -1.2 * r], [1.2 * r, 0], [0, 1.2 * r], [-1.2 * r, 0]]];
  else if (shape === "triangle") out.pieces = [[[0, -1.2 * r], [1.1 * r, 0.75 * r], [-1.1 * r, 0.75 * r]]];
  else if (shape === "cross" || shape === "plus") {
    const d = shape === "cross" ? r * 0.8 : r * 1.1, e = shape === "cross" ? d : 0;
    out.pieces = [[[-d, -e], [d, e]], [[e, -d], [-e, d]]];
    out.closed = false;
  } else if (shape === "ring") {
    out.filled = true;
    out.radius = r - out.stroke / 2;
  } else out.radius = r;
  return out;
}

export function traceMarker(ctx: CanvasRenderingContext2D | Path2D, look: Outline, x: number, y: number): void {
  if (look.radius > 0) {
    ctx.moveTo(x + look.radius, y);
    ctx.arc(x, y, look.radius, 0, 2 * Math.PI);
  }
  for (const piece of look.pieces) {
    piece.forEach(([dx, dy], k) => (k === 0 ? ctx.moveTo(x + dx, y + dy) : ctx.lineTo(x + dx, y + dy)));
    if (look.closed) ctx.closePath();
  }
}

/** One marker; `alpha` of the colour goes for the inside of rings too. */
export function drawMarker(ctx: CanvasRenderingContext2D, look: Outline, x: number, y: number, color: string,
                           paper: string): void {
  ctx.beginPath();
  traceMarker(ctx, look, x, y);
  if (look.filled) {
    ctx.fillStyle = paper;
    ctx.fill();
  }
  if (look.stroke > 0) {
    ctx.setLineDash([]);
    ctx.lineCap = "butt";
    ctx.lineWidth = look.stroke;
    ctx.strokeStyle = color;
    ctx.stroke();
  } else {
    ctx.fillStyle = color;
    ctx.fill();
  }
}
