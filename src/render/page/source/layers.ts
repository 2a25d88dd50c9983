// The data of a panel in the plane on its canvas: as src/figure/layers draws them.
import type { Line, Theme } from "./types";
import { shareOf, type LayerData } from "./data";
import { Mapping, drawDense, drawMarker, markerOutline, setDash, thinned, traceLine, visibleRange } from "./ink";
import { fillArea } from "./pattern";
import { partsOf, type Raster } from "./raster";
import { drawnLine } from "./text";

export interface Plane {
  ctx: CanvasRenderingContext2D;
  map: Mapping;
  theme: Theme;
  pixels: number; // of the canvas for a point
  origin: [number, number]; // of the canvas, in points
  isMoving: boolean;
  raster: Raster; // for what is drawn pixel by pixel
  labels: SVGElement[]; // that the layers write
}

type Draw = (layer: LayerData, plane: Plane) => void;

function clipped(plane: Plane, draw: (ctx: CanvasRenderingContext2D) => void): void {
  const { ctx } = plane;
  ctx.save();
  ctx.beginPath();
  ctx.rect(...plane.map.area);
  ctx.clip();
  draw(ctx);
  ctx.restore();
}

function stroked(plane: Plane, color: string, width: number, dash: string | undefined, trace: (ctx: CanvasRenderingContext2D) => void): void {
  clipped(plane, (ctx) => {
    ctx.strokeStyle = color;
    ctx.lineWidth = width;
    setDash(ctx, dash, width);
    ctx.beginPath();
    trace(ctx);
    ctx.stroke();
  });
}

export function colorOf(layer: LayerData, value: number, opacity = layer.model.opacity ?? 1): string {
  const at = layer.palette!.index(shareOf(value, layer.model.colors!)), rgb = layer.palette!.rgb;
  return `rgba(${rgb[at]},${rgb[at + 1]},${rgb[at + 2]},${opacity})`;
}

/** The places of points that no stroke leads to. */
function isolatedOf(layer: LayerData, map: Mapping): number[] {
  const { x, y } = layer, out: number[] = [];
  const isGap = (k: number) => !(k >= 0 && k < x.length && isFinite(map.x(x[k]) + map.y(y[k])));
  for (let k = 0; k < x.length; ++k) if (!isGap(k) && isGap(k - 1) && isGap(k + 1)) out.push(k);
  return out;
}

/** Points without neighbours are dots of the line's width. */
function dots(layer: LayerData, plane: Plane): void {
  if (layer.model.marker) return;
  layer.isolated ??= isolatedOf(layer, plane.map);
  if (layer.isolated.length === 0) return;
  const { ctx, map } = plane, look = markerOutline("disc", layer.model.width), [left, top, width, height] = map.area;
  for (const k of layer.isolated) {
    const px = map.x(layer.x[k]), py = map.y(layer.y[k]);
    if (px >= left && px <= left + width && py >= top && py <= top + height)
      drawMarker(ctx, look, px, py, layer.model.color, plane.theme.paper);
  }
}

const line: Draw = (layer, plane) => {
  strokeOf(layer, plane);
  dots(layer, plane);
  markers(layer, plane);
};

const strokeOf: Draw = (layer, plane) => {
  const { model } = layer, { x: allX, y: allY, rises } = layer.stairs ?? layer;
  const [from, to] = visibleRange(allX, rises, plane.map);
  if (rises && !model.dash && !model.marker && model.color.startsWith("#")) {
    const { ctx, raster, map, pixels, origin } = plane;
    if (drawDense(ctx, raster, allX, allY, from, to, map, model.color, model.width, pixels, origin)) return;
  }
  const [x, y] = thinned(allX, allY, from, to, plane.map);
  // Very long strokes in parts, which look the same: the cost of one grows faster than its length.
  const part = 512, inParts = !model.dash && !/rgba/.test(model.color);
  if (!inParts || x.length <= part)
    stroked(plane, model.color, model.width, model.dash, (ctx) => traceLine(ctx, x, y, plane.map));
  else
    clipped(plane, (ctx) => {
      ctx.strokeStyle = model.color;
      ctx.lineWidth = model.width;
      setDash(ctx, undefined, model.width);
      for (let k = 0; k < x.length - 1; k += part) {
        ctx.beginPath();
        traceLine(ctx, x.subarray(k, k + part + 2), y.subarray(k, k + part + 2), plane.map);
        ctx.stroke();
      }
    });
};

const markers: Draw = (layer, plane) => {
  const { model, x, y, values } = layer, { ctx, map, theme } = plane;
  if (!model.marker) return;
  const look = markerOutline(model.marker, model.size!);
  const [from, to] = visibleRange(x, layer.rises, map), [left, top, width, height] = map.area;
  const many = 3000, isMany = to - from > many, { raster } = plane;
  if (isMany) raster.begin(ctx.canvas.width, ctx.canvas.height);
  const paper = partsOf(theme.paper), own = partsOf(model.color), opacity = model.opacity ?? 1, rgb = layer.palette?.rgb;
  // While it is moved some of very many points stand for all.
  const stride = plane.isMoving ? Math.ceil((to - from) / 30000) : 1;
  for (let k = from; k < to; k += stride) {
    const px = map.x(x[k]), py = map.y(y[k]);
    if (!(px >= left - 0.01 && px <= left + width + 0.01 && py >= top - 0.01 && py <= top + height + 0.01)) continue;
    if (values.length > 0 && !isFinite(values[k])) continue;
    if (!isMany) {
      drawMarker(ctx, look, px, py, values.length > 0 ? colorOf(layer, values[k]) : model.color, theme.paper);
      continue;
    }
    let color = own;
    if (values.length > 0) {
      const at = layer.palette!.index(shareOf(values[k], model.colors!));
      color = [rgb![at], rgb![at + 1], rgb![at + 2], opacity];
    }
    raster.marker(model.marker, model.size!, plane.pixels, (px - plane.origin[0]) * plane.pixels, (py - plane.origin[1]) * plane.pixels, color, paper);
  }
  if (isMany) raster.drawOnto(ctx);
};

const stems: Draw = (layer, plane) => {
  const { model, x, y } = layer, { map } = plane;
  const base = map.down(model.base ?? 0);
  const [from, to] = visibleRange(x, layer.rises, map);
  stroked(plane, model.color, model.width, model.dash, (ctx) => {
    for (let k = from; k < to; ++k) {
      const px = map.x(x[k]);
      if (!isFinite(px) || !isFinite(map.y(y[k]))) continue;
      ctx.moveTo(px, base);
      ctx.lineTo(px, map.down(y[k]));
    }
  });
  markers(layer, plane);
};

const boxes: Draw = (layer, plane) => {
  const { model, left, right, low, high } = layer, { map, theme } = plane;
  const found: [number, number, number, number][] = [];
  for (let k = 0; k < left.length; ++k) {
    if (!isFinite(low[k] + high[k] + left[k] + right[k])) continue;
    const [a, b] = model.lying ? [map.across(left[k]), map.across(right[k])] : [map.x(left[k]), map.x(right[k])];
    const [c, d] = model.lying ? [map.y(low[k]), map.y(high[k])] : [map.down(low[k]), map.down(high[k])];
    if (isFinite(a + b + c + d)) found.push([a, c, b - a, d - c]);
  }
  clipped(plane, (ctx) => {
    fillArea(ctx, model, theme, map.area, () => found.forEach((box) => ctx.rect(...box)));
    if (model.pattern) return;
    ctx.strokeStyle = theme.paper;
    ctx.lineWidth = 0.7;
    setDash(ctx, undefined, 0.7);
    ctx.beginPath();
    // Standing ones have no line along their base, lying ones none at their start.
    for (const [x, y, w, h] of found) {
      if (Math.abs(model.lying ? h : w) <= 3) continue;
      if (model.lying) {
        ctx.moveTo(x, y);
        ctx.lineTo(x + w, y);
        ctx.lineTo(x + w, y + h);
        ctx.lineTo(x, y + h);
      } else {
        ctx.moveTo(x, y);
        ctx.lineTo(x, y + h);
        ctx.lineTo(x + w, y + h);
        ctx.lineTo(x + w, y);
      }
    }
    ctx.stroke();
  });
};

const region: Draw = (layer, plane) => {
  const { model, x, low, high } = layer, { map } = plane;
  const [from, to] = visibleRange(x, layer.rises, map), many = 20000, column = 0.25;
  const thins = to - from > many;
  clipped(plane, (ctx) => fillArea(ctx, model, plane.theme, map.area, () => {
    let xs: number[] = [], above: number[] = [], below: number[] = [];
    const close = () => {
      // Where it has no neighbours it is as wide as a line.
      if (xs.length === 1) {
        const half = model.width / 2;
        xs = [xs[0] - half, xs[0] + half];
        above = [above[0], above[0]];
        below = [below[0], below[0]];
      }
      const n = xs.length;
      if (n > 1) {
        for (let k = 0; k < n; ++k) k === 0 ? ctx.moveTo(xs[k], above[k]) : ctx.lineTo(xs[k], above[k]);
        for (let k = n - 1; k >= 0; --k) ctx.lineTo(xs[k], below[k]);
        ctx.closePath();
      }
      xs = [];
      above = [];
      below = [];
    };
    for (let k = from; k < to; ++k) {
      const px = map.x(x[k]);
      if (!isFinite(px) || !isFinite(low[k]) || !isFinite(high[k])) {
        close();
        continue;
      }
      const up = map.down(high[k]), down = map.down(low[k]), n = xs.length;
      if (thins && n > 0 && Math.floor(px / column) === Math.floor(xs[n - 1] / column)) {
        above[n - 1] = Math.min(above[n - 1], up);
        below[n - 1] = Math.max(below[n - 1], down);
        continue;
      }
      xs.push(px);
      above.push(up);
      below.push(down);
    }
    close();
  }));
};

const errorBars: Draw = (layer, plane) => {
  const { model, x, y, low, high, left, right } = layer, { map } = plane;
  const cap = (model.size ?? 4.5) * 0.6;
  const [from, to] = visibleRange(x, layer.rises, map);
  stroked(plane, model.color, Math.max(0.8, model.width * 0.7), undefined, (ctx) => {
    const bar = (x0: number, y0: number, x1: number, y1: number) => {
      ctx.moveTo(x0, y0);
      ctx.lineTo(x1, y1);
    };
    for (let k = from; k < to; ++k) {
      const px = map.x(x[k]), bottom = map.down(low[k]), top = map.down(high[k]);
      if (!isFinite(px) || !isFinite(low[k]) || !isFinite(high[k])) continue;
      bar(px, bottom, px, top);
      // An end without a place on a logarithmic axis has no cap: the bar leads out of the area.
      for (const end of [low[k], high[k]]) if (isFinite(map.ys.share(end))) bar(px - cap / 2, map.down(end), px + cap / 2, map.down(end));
      if (k >= left.length) continue;
      const a = map.across(left[k]), b = map.across(right[k]), py = map.y(y[k]);
      if (!isFinite(left[k] + right[k]) || !isFinite(py)) continue;
      bar(a, py, b, py);
      for (const end of [left[k], right[k]])
        if (isFinite(map.xs.share(end))) bar(map.across(end), py - cap / 2, map.across(end), py + cap / 2);
    }
  });
  markers(layer, plane);
};

/** A field as a picture with one pixel for each cell, row 0 the first row of the data. */
function pictureOf(layer: LayerData, columns: number, rows: number): HTMLCanvasElement {
  if (layer.picture) return layer.picture;
  const canvas = document.createElement("canvas");
  canvas.width = columns;
  canvas.height = rows;
  const ctx = canvas.getContext("2d")!, image = ctx.createImageData(columns, rows), to = image.data;
  const opacity = layer.model.opacity ?? 1;
  if (layer.pixels) {
    to.set(layer.pixels.subarray(0, to.length));
    if (opacity < 1) for (let k = 3; k < to.length; k += 4) to[k] = Math.round(to[k] * opacity);
  } else {
    const rgb = layer.palette!.rgb, alpha = Math.round(255 * opacity);
    for (let k = 0; k < columns * rows; ++k) {
      if (!isFinite(layer.z[k])) continue;
      const at = layer.palette!.index(shareOf(layer.z[k], layer.model.colors!));
      to[4 * k] = rgb[at];
      to[4 * k + 1] = rgb[at + 1];
      to[4 * k + 2] = rgb[at + 2];
      to[4 * k + 3] = alpha;
    }
  }
  ctx.putImageData(image, 0, 0);
  layer.picture = canvas;
  return canvas;
}

function isEven(v: number[]): boolean {
  const step = (v[v.length - 1] - v[0]) / (v.length - 1);
  return v.every((at, k) => k === 0 || Math.abs(at - v[k - 1] - step) < 1e-3 * Math.abs(step));
}

const heatmap: Draw = (layer, plane) => {
  const { map } = plane, columns = layer.x.length - 1, rows = layer.y.length - 1;
  if (columns < 1 || rows < 1) return;
  const xs = Array.from(layer.x, (v) => map.x(v)), ys = Array.from(layer.y, (v) => map.y(v));
  const picture = pictureOf(layer, columns, rows);
  clipped(plane, (ctx) => {
    ctx.imageSmoothingEnabled = false;
    if (isEven(xs) && isEven(ys)) {
      const flipX = xs[columns] < xs[0], flipY = ys[rows] < ys[0];
      ctx.translate(flipX ? xs[columns] : xs[0], flipY ? ys[rows] : ys[0]);
      const width = Math.abs(xs[columns] - xs[0]), height = Math.abs(ys[rows] - ys[0]);
      if (flipX) {
        ctx.translate(width, 0);
        ctx.scale(-1, 1);
      }
      if (flipY) {
        ctx.translate(0, height);
        ctx.scale(1, -1);
      }
      ctx.drawImage(picture, 0, 0, width, height);
      return;
    }
    // Each cell between whole pixels, so that no seam is seen.
    const pixel = (v: number, origin: number) => origin + Math.round((v - origin) * plane.pixels) / plane.pixels;
    const [left, top, width, height] = map.area;
    for (let c = 0; c < columns; ++c) {
      const a = pixel(Math.min(xs[c], xs[c + 1]), plane.origin[0]), b = pixel(Math.max(xs[c], xs[c + 1]), plane.origin[0]);
      if (!isFinite(a + b) || b < left || a > left + width) continue;
      for (let r = 0; r < rows; ++r) {
        const d = pixel(Math.min(ys[r], ys[r + 1]), plane.origin[1]), e = pixel(Math.max(ys[r], ys[r + 1]), plane.origin[1]);
        if (isFinite(d + e) && e >= top && d <= top + height) ctx.drawImage(picture, c, r, 1, 1, a, d, b - a, e - d);
      }
    }
  });
};

const filledContours: Draw = (layer, plane) => {
  const { map } = plane;
  for (const level of layer.levels)
    clipped(plane, (ctx) => {
      ctx.fillStyle = level.color;
      ctx.beginPath();
      let open = false;
      for (let k = 0; k < level.x.length; ++k) {
        const px = map.x(level.x[k]), py = map.y(level.y[k]);
        if (!isFinite(px) || !isFinite(py)) {
          if (open && isNaN(level.x[k])) {
            ctx.closePath();
            open = false;
          }
          continue;
        }
        if (open) ctx.lineTo(px, py);
        else ctx.moveTo(px, py);
        open = true;
      }
      ctx.fill();
    });
};

type Spot = [number, number];

/** Opens long lines where they run straightest, and writes their value there. */
class ContourLabels {
  readonly taken: Spot[] = [];
  constructor(private readonly plane: Plane, private readonly theme: Theme) {}

  place(pieces: Spot[][], label: Line, color: string): Spot[][] {
    const gap = label.w + 6, [left, top, width, height] = this.plane.map.area, out: Spot[][] = [];
    for (const piece of pieces) {
      const along = [0];
      for (let k = 1; k < piece.length; ++k)
        along.push(along[k - 1] + Math.hypot(piece[k][0] - piece[k - 1][0], piece[k][1] - piece[k - 1][1]));
      let from = 0, to = 0, straightest = 0;
      for (let a = 0, b = 0; a < piece.length; ++a) {
        while (b < piece.length && along[b] - along[a] < gap) ++b;
        if (b === piece.length) break;
        const chord = Math.hypot(piece[b][0] - piece[a][0], piece[b][1] - piece[a][1]);
        const x = (piece[a][0] + piece[b][0]) / 2, y = (piece[a][1] + piece[b][1]) / 2, room = label.w / 2 + 4;
        const inside = x > left + room && x < left + width - room && y > top + room && y < top + height - room;
        const score = chord / (along[b] - along[a]);
        if (inside && score > straightest + 1e-6 && this.taken.every(([u, v]) => Math.hypot(u - x, v - y) >= 2.2 * gap)) {
          straightest = score;
          from = a;
          to = b;
        }
      }
      if (!(along[along.length - 1] >= 4 * gap) || straightest < 0.9) {
        out.push(piece);
        continue;
      }
      this.write(piece[from], piece[to], label, color);
      out.push(piece.slice(0, from + 1), piece.slice(to));
    }
    return out;
  }

  private write(a: Spot, b: Spot, label: Line, color: string): void {
    if (a[0] > b[0]) [a, b] = [b, a];
    const angle = Math.atan2(a[1] - b[1], b[0] - a[0]), drop = label.a * 0.36, half = label.w / 2;
    const x = (a[0] + b[0]) / 2, y = (a[1] + b[1]) / 2;
    this.plane.labels.push(drawnLine(label, x - half * Math.cos(angle) + drop * Math.sin(angle),
                                     y + half * Math.sin(angle) + drop * Math.cos(angle), color, angle));
    // The middle of its box, which is a little beside that of the line.
    const up = (label.a - label.d) / 2 - drop;
    this.taken.push([x - up * Math.sin(angle), y - up * Math.cos(angle)]);
  }
  get soft(): string {
    return this.theme.soft;
  }
}

const contours: Draw = (layer, plane) => {
  const { map } = plane, labels = new ContourLabels(plane, plane.theme);
  for (const level of layer.levels) {
    let pieces: Spot[][] = [], piece: Spot[] = [];
    for (let k = 0; k < level.x.length; ++k) {
      if (isNaN(level.x[k])) {
        if (piece.length > 0) pieces.push(piece);
        piece = [];
      } else piece.push([map.x(level.x[k]), map.y(level.y[k])]);
    }
    if (layer.model.labelled && level.label)
      pieces = labels.place(pieces, level.label, layer.model.colors ? labels.soft : level.color);
    stroked(plane, level.color, layer.model.width, layer.model.dash, (ctx) => {
      for (const one of pieces) one.forEach(([x, y], k) => (k === 0 ? ctx.moveTo(x, y) : ctx.lineTo(x, y)));
    });
  }
};

const arrows: Draw = (layer, plane) => {
  const { model, x, y, right, high } = layer, { map, theme } = plane, [, , width, height] = map.area;
  const found: [px: number, py: number, u: number, v: number][] = [];
  let longest = 0;
  for (let k = 0; k < x.length; ++k) {
    const px = map.x(x[k]), py = map.y(y[k]);
    if (!isFinite(px + py) || !isFinite(right[k] + high[k])) continue;
    const u = (right[k] * width) / (map.xs.high - map.xs.low), v = (-high[k] * height) / (map.ys.high - map.ys.low);
    found.push([px, py, map.xs.reverse ? -u : u, map.ys.reverse ? -v : v]);
    longest = Math.max(longest, Math.hypot(u, v));
  }
  if (found.length === 0 || longest === 0) return;
  const [left, top] = map.area;
  const inside = found.filter(([px, py]) => px >= left && px <= left + width && py >= top && py <= top + height).length;
  const apart = Math.sqrt((width * height) / Math.max(1, inside));
  const unit = (0.9 * Math.min(60, Math.max(6, apart))) / longest;
  const heads: Spot[][] = [];
  stroked(plane, model.color, Math.min(model.width, 1.1), undefined, (ctx) => {
    for (const [px, py, u, v] of found) {
      const length = Math.hypot(u, v) * unit;
      if (length < 0.3) continue;
      const ux = (u * unit) / length, uy = (v * unit) / length, head = Math.min(5 * theme.line_factor, 0.45 * length);
      const tip: Spot = [px + ux * length, py + uy * length], neck: Spot = [tip[0] - ux * head, tip[1] - uy * head];
      ctx.moveTo(px, py);
      ctx.lineTo(tip[0] - ux * head * 0.7, tip[1] - uy * head * 0.7);
      heads.push([tip, [neck[0] - uy * head * 0.42, neck[1] + ux * head * 0.42], [neck[0] + uy * head * 0.42, neck[1] - ux * head * 0.42]]);
    }
  });
  clipped(plane, (ctx) => {
    ctx.fillStyle = model.color;
    ctx.beginPath();
    for (const [a, b, c] of heads) {
      ctx.moveTo(...a);
      ctx.lineTo(...b);
      ctx.lineTo(...c);
      ctx.closePath();
    }
    ctx.fill();
  });
};

const kDraw: Partial<Record<string, Draw>> = {
  line, scatter: markers, stems, boxes, region, error_bars: errorBars, heatmap, contours,
  filled_contours: filledContours, arrows,
};

export function drawLayer(layer: LayerData, plane: Plane): void {
  kDraw[layer.model.kind]?.(layer, plane);
}
