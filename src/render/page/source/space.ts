// Panels in space: the box, how it is seen, and its pieces from the back to the front, as src/figure/space.cpp
// and src/figure/layers/in_space.cpp have them.
import type { AxisModel, Line, PanelModel, Theme } from "./types";
import { shareOf, type LayerData } from "./data";
import { Scale } from "./scale";
import { drawnLine, short, svg } from "./text";
import { Raster, partsOf } from "./raster";
import { Rows, type Reading } from "./reading";

const kBoxHeight = 0.68, kTick = 6;

/** How the box is seen: angles in degrees, and how much closer and shifted (points) than where it has room. */
export interface Camera {
  turn: number;
  tilt: number;
  zoom: number;
  dx: number;
  dy: number;
}

/** The place of the middle of the box, and points for half of its width. */
interface Placed {
  turn: number;
  tilt: number;
  x: number;
  y: number;
  scale: number;
}

interface Label {
  line: Line;
  x: number; // of its baseline
  y: number;
  color: string;
  angle: number;
}

class View {
  readonly ct: number;
  readonly st: number;
  readonly ci: number;
  readonly si: number;
  constructor(readonly camera: Placed) {
    const turn = ((camera.turn % 360) * Math.PI) / 180, tilt = (camera.tilt * Math.PI) / 180;
    this.ct = Math.cos(turn);
    this.st = Math.sin(turn);
    this.ci = Math.cos(tilt);
    this.si = Math.sin(tilt);
  }
  at(x: number, y: number, z: number): [number, number] {
    const { camera: c } = this;
    return [c.x + c.scale * (x * this.ct - y * this.st), c.y - c.scale * (z * this.ci + (x * this.st + y * this.ct) * this.si)];
  }
  depth(x: number, y: number, z: number): number {
    return (x * this.st + y * this.ct) * this.ci - z * this.si;
  }
}

/** The spots of a layer in the box, and what does not change when it is turned. */
interface Solid {
  layer: LayerData;
  columns: number; // of a grid; 0: points in a row
  spots: Float32Array; // x, y, z in turn
  normals: Float32Array; // of the cells, each at the place of its first corner
  shades: Uint8Array; // of the cells, or of the points: r, g, b, opacity
  px: Float32Array; // on the canvas, as it was drawn last
  py: Float32Array;
  depth: Float32Array;
}

/** An edge of the box with an axis along it, and the way that leads out of the box at a right angle. */
interface Edge {
  from: number[];
  to: number[];
  half: number[];
  way: number[];
  length: number;
  reach: number; // of the tick labels
}

const isTaken = (box: number[], taken: number[][]) =>
  taken.some((o) => box[0] < o[2] && o[0] < box[2] && box[1] < o[3] && o[1] < box[3]);

/** The upright box around a label: its left, top, right and bottom. */
function boxOf({ line, x, y, angle }: Label): [number, number, number, number] {
  return angle === 0 ? [x, y - line.a, x + line.w, y + line.d] : [x - line.a, y - line.w, x + line.d, y];
}

export class SpacePanel {
  private readonly solids: Solid[] = [];
  private readonly raster = new Raster();
  private readonly scales: { x: Scale; y: Scale; z: Scale };
  private readonly axes: { x: AxisModel; y: AxisModel; z: AxisModel };
  private keys = new Uint16Array(0);
  private order = new Uint32Array(0);
  // Of all pieces: which solid, and where in it. Kinds: a cell, a segment, a marker, a dot.
  private pieceSolid = new Uint16Array(0);
  private pieceKind = new Uint8Array(0);
  private pieceAt = new Uint32Array(0);
  private pieceDepth = new Float32Array(0);
  private pieces = 0;

  constructor(private readonly panel: PanelModel, layers: LayerData[], private readonly theme: Theme) {
    const scale = (axis: AxisModel) => new Scale(axis.kind, axis.low, axis.high, axis.reverse);
    this.axes = { x: panel.x, y: panel.y, z: panel.z! };
    this.scales = { x: scale(panel.x), y: scale(panel.y), z: scale(panel.z!) };
    for (const layer of layers)
      if (layer.z.length > 0 && layer.x.length > 0) this.solids.push(this.solidOf(layer));
  }

  static start(panel: PanelModel): Camera {
    const { turn, tilt } = panel.space!;
    return { turn, tilt, zoom: 1, dx: 0, dy: 0 };
  }

  /** Where the box stands. */
  placed(camera: Camera): Placed {
    const fit = this.fitted(camera.turn, camera.tilt);
    return { ...fit, x: fit.x + camera.dx, y: fit.y + camera.dy, scale: fit.scale * camera.zoom };
  }

  /** As large as the area lets it be with its labels, as the program places it. */
  fitted(turn: number, tilt: number): Placed {
    const start = this.panel.space!;
    if (turn === start.turn && tilt === start.tilt) return { turn, tilt, x: start.middle[0], y: start.middle[1], scale: start.scale };
    if (this.fit && this.fit.turn === turn && this.fit.tilt === tilt) return this.fit;
    const flat = new View({ turn, tilt, x: 0, y: 0, scale: 1 }), corners: [number, number][] = [];
    for (const x of [-1, 1]) for (const y of [-1, 1]) for (const z of [-kBoxHeight, kBoxHeight]) corners.push(flat.at(x, y, z));
    const low = [0, 1].map((k) => Math.min(...corners.map((c) => c[k]))), high = [0, 1].map((k) => Math.max(...corners.map((c) => c[k])));
    const [width, height] = [high[0] - low[0], high[1] - low[1]], [left, top, across, down] = this.panel.area, pad = 3;
    let margins = [30, 4, 30, 30], out: Placed = { turn, tilt, x: 0, y: 0, scale: 1 };
    for (let round = 0; round < 10; ++round) {
      const roomX = Math.max(20, across - margins[0] - margins[2] - 2 * pad), roomY = Math.max(20, down - margins[1] - margins[3] - 2 * pad);
      const scale = Math.min(roomX / width, roomY / height);
      out = { turn, tilt, scale, x: left + pad + margins[0] + (roomX - scale * width) / 2 - scale * low[0],
              y: top + pad + margins[1] + (roomY - scale * height) / 2 - scale * low[1] };
      const x0 = out.x + scale * low[0], y0 = out.y + scale * low[1], x1 = x0 + scale * width, y1 = y0 + scale * height;
      let needed = [0, 0, 0, 0];
      for (const [a, b, c, d] of this.labelsOf(new View(out)).labels.map(boxOf))
        needed = [Math.max(needed[0], x0 - a), Math.max(needed[1], y0 - b), Math.max(needed[2], c - x1), Math.max(needed[3], d - y1)];
      if (round > 0 && needed.every((v, k) => v <= margins[k] + 0.05)) break;
      // The first guess may be too much; then they only grow, so that they converge.
      margins = round < 3 ? needed : needed.map((v, k) => Math.max(v, margins[k]));
    }
    return (this.fit = out);
  }
  private fit: Placed | null = null;

  // -- what does not change

  private solidOf(layer: LayerData): Solid {
    const isGrid = layer.model.kind === "surface" || layer.model.kind === "wireframe";
    const columns = isGrid ? layer.x.length : 0, n = layer.z.length, { x, y, z } = this.scales;
    const spots = new Float32Array(3 * n), fade = layer.model.opacity ?? 1;
    for (let k = 0; k < n; ++k) {
      const value = layer.z[k], inside = !isGrid || (value >= z.low && value <= z.high);
      spots[3 * k] = 2 * x.share(layer.x[isGrid ? k % columns : k]) - 1;
      spots[3 * k + 1] = 2 * y.share(layer.y[isGrid ? Math.floor(k / columns) : k]) - 1;
      spots[3 * k + 2] = inside ? kBoxHeight * (2 * z.share(value) - 1) : NaN;
    }
    const rows = isGrid ? layer.y.length : 0;
    const solid: Solid = { layer, columns, spots, normals: new Float32Array(isGrid ? 3 * n : 0), shades: new Uint8Array(4 * n), px: new Float32Array(n),
                           py: new Float32Array(n), depth: new Float32Array(n) };
    const own = partsOf(layer.model.color), paper = partsOf(this.theme.paper);
    const shade = (at: number, value: number | null) => {
      let rgba = value === null ? paper : own;
      if (value !== null && layer.palette) {
        const k = layer.palette.index(shareOf(value, layer.model.colors!)), { rgb } = layer.palette;
        rgba = [rgb[k], rgb[k + 1], rgb[k + 2], 1];
      }
      // The layer's opacity is in its own colour already.
      const alpha = value !== null && isGrid ? rgba[3] * fade : value !== null && layer.palette ? rgba[3] * fade : rgba[3];
      solid.shades.set([rgba[0], rgba[1], rgba[2], Math.round(255 * Math.min(1, alpha))], 4 * at);
    };
    if (!isGrid) {
      for (let k = 0; k < n; ++k) shade(k, layer.values.length > 0 ? layer.values[k] : 0);
      return solid;
    }
    for (let r = 0; r + 1 < rows; ++r)
      for (let c = 0; c + 1 < columns; ++c) {
        const cell = r * columns + c, p = 3 * cell, q = p + 3, t = p + 3 * columns, s = t + 3;
        const ux = spots[s] - spots[p], uy = spots[s + 1] - spots[p + 1], uz = spots[s + 2] - spots[p + 2];
        const vx = spots[t] - spots[q], vy = spots[t + 1] - spots[q + 1], vz = spots[t + 2] - spots[q + 2];
        const nx = uy * vz - uz * vy, ny = uz * vx - ux * vz, nz = ux * vy - uy * vx, size = Math.hypot(nx, ny, nz);
        if (size > 0) solid.normals.set([nx / size, ny / size, nz / size], 3 * cell);
        const { z: values } = layer;
        shade(cell, layer.model.kind === "wireframe" ? null
          : (values[cell] + values[cell + 1] + values[cell + columns] + values[cell + columns + 1]) / 4);
      }
    return solid;
  }

  // -- the picture

  private room(count: number): void {
    if (this.pieceAt.length >= count) return;
    const grown = Math.ceil(count * 1.2) + 1000;
    this.keys = new Uint16Array(grown);
    this.order = new Uint32Array(grown);
    this.pieceSolid = new Uint16Array(grown);
    this.pieceKind = new Uint8Array(grown);
    this.pieceAt = new Uint32Array(grown);
    this.pieceDepth = new Float32Array(grown);
  }

  private add(solid: number, kind: number, at: number, depth: number): void {
    const k = this.pieces++;
    this.pieceSolid[k] = solid;
    this.pieceKind[k] = kind;
    this.pieceAt[k] = at;
    this.pieceDepth[k] = depth;
  }

  /** The pieces of all solids that are shown; cells of `stride` rows and columns as one. */
  private gather(view: View, hidden: Set<number>, pixels: number, origin: [number, number], stride: number): void {
    let most = 0;
    for (const solid of this.solids) most += 2 * solid.depth.length;
    this.room(most);
    this.pieces = 0;
    this.solids.forEach((solid, index) => {
      if (hidden.has(solid.layer.index)) return;
      const { spots, px, py, depth, columns } = solid, n = depth.length;
      const c = view.camera, ax = (c.x - origin[0]) * pixels, ay = (c.y - origin[1]) * pixels, s = c.scale * pixels;
      for (let k = 0, i = 0; k < n; ++k, i += 3) {
        const x = spots[i], y = spots[i + 1], z = spots[i + 2], away = x * view.st + y * view.ct;
        px[k] = ax + s * (x * view.ct - y * view.st);
        py[k] = ay - s * (z * view.ci + away * view.si);
        depth[k] = away * view.ci - z * view.si;
      }
      if (columns > 0) {
        // Rows and columns from the far side to the near one: of heights over a grid no cell hides one after it.
        const rows = n / columns, last = 3 * (n - 1);
        const farRow = (spots[last + 1] - spots[1]) * view.ct > 0, farColumn = (spots[last] - spots[0]) * view.st > 0;
        const acrossCount = Math.ceil((columns - 1) / stride), downCount = Math.ceil((rows - 1) / stride);
        for (let i = 0; i < downCount; ++i) {
          const r = stride * (farRow ? downCount - 1 - i : i), down = Math.min(stride, rows - 1 - r) * columns;
          for (let j = 0; j < acrossCount; ++j) {
            const q = stride * (farColumn ? acrossCount - 1 - j : j), at = r * columns + q, right = Math.min(stride, columns - 1 - q);
            const d = depth[at] + depth[at + right] + depth[at + down] + depth[at + down + right];
            if (d === d) this.add(index, 0, at, d / 4);
          }
        }
        return;
      }
      const { model } = solid.layer;
      if (model.kind === "line")
        for (let k = 1; k < n; ++k) {
          const d = (depth[k] + depth[k - 1]) / 2 - 0.02;
          if (d === d && isFinite(px[k] + px[k - 1])) this.add(index, 1, k, d);
        }
      // A point that no stroke leads to is a dot of the line's width.
      if (model.kind === "line" && !model.marker) {
        const isGap = (k: number) => !(k >= 0 && k < n && isFinite(px[k] + py[k]) && depth[k] === depth[k]);
        for (let k = 0; k < n; ++k) if (!isGap(k) && isGap(k - 1) && isGap(k + 1)) this.add(index, 3, k, depth[k]);
      }
      if (model.marker)
        for (let k = 0; k < n; ++k)
          if (depth[k] === depth[k] && (solid.layer.values.length === 0 || isFinite(solid.layer.values[k])))
            this.add(index, 2, k, depth[k] - 0.03);
    });
  }

  /** The places of the pieces from the farthest to the nearest: sorted by counting, which keeps equal ones in order. */
  private sort(): void {
    const n = this.pieces, { pieceDepth, keys, order } = this;
    if (this.solids.length === 1 && this.solids[0].columns > 0) {
      for (let k = 0; k < n; ++k) order[k] = k;
      return;
    }
    let low = Infinity, high = -Infinity;
    for (let k = 0; k < n; ++k) {
      const d = pieceDepth[k];
      if (d < low) low = d;
      if (d > high) high = d;
    }
    const factor = high > low ? 65535 / (high - low) : 0, counts = new Uint32Array(65537);
    for (let k = 0; k < n; ++k) {
      const key = ((high - pieceDepth[k]) * factor) | 0;
      keys[k] = key;
      ++counts[key + 1];
    }
    for (let k = 0; k < 65536; ++k) counts[k + 1] += counts[k];
    for (let k = 0; k < n; ++k) order[counts[keys[k]]++] = k;
  }

  /** `pixels`: of the canvas for a point; fast while it is being moved. */
  draw(canvas: HTMLCanvasElement, camera: Camera, hidden: Set<number>, pixels: number, origin: [number, number], isMoving: boolean): void {
    const fine = isMoving || pixels >= 2.4 ? 1 : 2, scale = pixels * fine;
    const width = Math.ceil(canvas.width * fine), height = Math.ceil(canvas.height * fine);
    let cells = 0;
    for (const solid of this.solids) if (solid.columns > 0 && !hidden.has(solid.layer.index)) cells += solid.depth.length;
    const most = 130000, stride = isMoving ? Math.max(1, Math.ceil(Math.sqrt(cells / most))) : 1;
    const view = new View(this.placed(camera));
    this.gather(view, hidden, scale, origin, stride);
    this.sort();
    this.raster.begin(width, height, !isMoving);
    this.paint(view, scale, stride);
    const ctx = canvas.getContext("2d")!;
    if (fine === 1) {
      ctx.putImageData(this.raster.image, 0, 0);
      return;
    }
    ctx.setTransform(1, 0, 0, 1, 0, 0);
    ctx.clearRect(0, 0, canvas.width, canvas.height);
    this.raster.drawOnto(ctx, 0, height, fine);
  }

  private paint(view: View, pixels: number, stride: number): void {
    const { raster, order, pieceKind, pieceAt, pieceSolid, pieces } = this;
    const paper = partsOf(this.theme.paper);
    const dashes = this.solids.map((solid) => this.dashOf(solid)), own = this.solids.map((solid) => partsOf(solid.layer.model.color));
    for (let i = 0; i < pieces; ++i) {
      const piece = order[i], at = pieceAt[piece], solid = this.solids[pieceSolid[piece]], { px, py } = solid;
      if (pieceKind[piece] === 0) {
        let end = i + 1;
        while (end < pieces && pieceKind[order[end]] === 0 && pieceSolid[order[end]] === pieceSolid[piece]) ++end;
        this.cells(solid, own[pieceSolid[piece]], i, end, view, pixels, stride);
        i = end - 1;
      } else if (pieceKind[piece] === 1) {
        this.segment(solid, at, dashes[pieceSolid[piece]], own[pieceSolid[piece]], pixels);
      } else if (pieceKind[piece] === 3) {
        const c = 4 * at, [r, g, b, alpha] = solid.shades.subarray(c, c + 4);
        raster.marker("disc", solid.layer.model.width, pixels, px[at], py[at], [r, g, b, alpha / 255], paper);
      } else {
        const near = Math.min(1, Math.max(0, 0.5 - solid.depth[at] / 2.6)), { model } = solid.layer, c = 4 * at;
        const alpha = (solid.shades[c + 3] / 255) * (0.55 + 0.45 * near);
        raster.marker(model.marker!, model.size! * (0.75 + 0.4 * near), pixels, px[at], py[at],
                      [solid.shades[c], solid.shades[c + 1], solid.shades[c + 2], alpha], paper);
      }
    }
  }

  /** Cells of one surface that come one after the other. */
  private cells(solid: Solid, own: number[], from: number, to: number, view: View, pixels: number, stride: number): void {
    const { raster, order, pieceAt } = this, { px, py, columns, shades, normals } = solid, { model } = solid.layer;
    const rows = px.length / columns, isWire = model.kind === "wireframe", hasLines = isWire || !!model.mesh;
    // Light from the upper left before the page.
    const lx = -0.45 * view.ct - 0.35 * view.st, ly = 0.45 * view.st - 0.35 * view.ct, lz = 0.82;
    const ink = partsOf(this.theme.ink), [r, g, b, a] = isWire ? own : [ink[0], ink[1], ink[2], 0.45];
    const width = (isWire ? (model.width / this.theme.line_factor) * 0.6 : 0.35) * pixels;
    for (let i = from; i < to; ++i) {
      const piece = order[i], at = pieceAt[piece];
      let q = at + 1, t = at + columns;
      if (stride > 1) {
        const row = (at / columns) | 0;
        q = at + Math.min(stride, columns - 1 - (at - row * columns));
        t = at + Math.min(stride, rows - 1 - row) * columns;
      }
      const s = t + q - at, n = 3 * at, c = 4 * at;
      let factor = 1;
      if (!isWire) {
        const lit = normals[n] * lx + normals[n + 1] * ly + normals[n + 2] * lz;
        factor = 0.68 + 0.36 * (lit < 0 ? -lit : lit);
      }
      let red = (shades[c] * factor + 0.5) | 0, green = (shades[c + 1] * factor + 0.5) | 0, blue = (shades[c + 2] * factor + 0.5) | 0;
      if (red > 255) red = 255;
      if (green > 255) green = 255;
      if (blue > 255) blue = 255;
      raster.quad(px, py, at, q, s, t, (blue << 16) | (green << 8) | red, shades[c + 3], piece + 1);
      if (!hasLines) continue;
      raster.segment(px[at], py[at], px[q], py[q], width, r, g, b, a);
      raster.segment(px[q], py[q], px[s], py[s], width, r, g, b, a);
      raster.segment(px[s], py[s], px[t], py[t], width, r, g, b, a);
      raster.segment(px[t], py[t], px[at], py[at], width, r, g, b, a);
    }
  }

  /** The lengths of a layer's dashes, and how far along the line each of its points lies, as it is seen. */
  private dashOf(solid: Solid): { lengths: number[]; along: Float32Array } | null {
    const { model } = solid.layer, w = Math.max(model.width, 0.6);
    const lengths = model.dash === "dashed" ? [4.5 * w, 2.6 * w] : model.dash === "dotted" ? [0.01, 2.3 * w]
      : model.dash === "dash_dot" ? [5 * w, 2.4 * w, 0.01, 2.4 * w] : null;
    if (!lengths || solid.columns > 0) return null;
    const along = new Float32Array(solid.px.length);
    for (let k = 1; k < along.length; ++k) {
      const step = Math.hypot(solid.px[k] - solid.px[k - 1], solid.py[k] - solid.py[k - 1]);
      along[k] = along[k - 1] + (isFinite(step) ? step : 0);
    }
    return { lengths, along };
  }

  private segment(solid: Solid, k: number, dash: { lengths: number[]; along: Float32Array } | null, color: number[], pixels: number): void {
    const { px, py } = solid, width = solid.layer.model.width * pixels, [r, g, b, a] = color;
    const x0 = px[k - 1], y0 = py[k - 1], dx = px[k] - x0, dy = py[k] - y0;
    if (!dash) {
      this.raster.segment(x0, y0, x0 + dx, y0 + dy, width, r, g, b, a);
      return;
    }
    const period = dash.lengths.reduce((sum, l) => sum + l, 0) * pixels, from = dash.along[k - 1], to = dash.along[k];
    if (!(to > from)) return;
    for (let start = Math.floor(from / period) * period; start < to; start += period) {
      let at = start;
      dash.lengths.forEach((length, j) => {
        const end = at + length * pixels;
        if (j % 2 === 0 && end > from && at < to) {
          const u = (Math.max(at, from) - from) / (to - from), v = (Math.min(end, to) - from) / (to - from);
          this.raster.segment(x0 + u * dx, y0 + u * dy, x0 + v * dx, y0 + v * dy, width, r, g, b, a);
        }
        at = end;
      });
    }
  }

  // -- walls and labels

  private back(view: View): { x: number; y: number; floor: number } {
    return { x: view.depth(1, 0, 0) > 0 ? 1 : -1, y: view.depth(0, 1, 0) > 0 ? 1 : -1,
             floor: view.camera.tilt >= 0 ? -kBoxHeight : kBoxHeight };
  }

  walls(camera: Camera): SVGElement[] {
    const view = new View(this.placed(camera)), { x: b, y: c, floor: f } = this.back(view), { theme } = this;
    const at = (p: number[]) => view.at(p[0], p[1], p[2]).map(short).join(" ");
    const line = (from: number[], to: number[]) => `M${at(from)}L${at(to)}`;
    const path = (d: string, stroke: string, width: number) =>
      svg("path", { fill: "none", stroke, "stroke-width": short(width), "stroke-linejoin": "round", d });
    const corners = [[-1, -1, f], [1, -1, f], [1, 1, f], [-1, 1, f]];
    let grid = "";
    const h = kBoxHeight;
    for (const t of this.axes.x.ticks!) {
      const s = 2 * this.scales.x.share(t) - 1;
      grid += line([s, -1, f], [s, 1, f]) + line([s, c, -h], [s, c, h]);
    }
    for (const t of this.axes.y.ticks!) {
      const s = 2 * this.scales.y.share(t) - 1;
      grid += line([-1, s, f], [1, s, f]) + line([b, s, -h], [b, s, h]);
    }
    for (const t of this.axes.z.ticks!) {
      const s = h * (2 * this.scales.z.share(t) - 1);
      grid += line([-1, c, s], [1, c, s]) + line([b, -1, s], [b, 1, s]);
    }
    const edges = corners.map((p, k) => line(p, corners[(k + 1) % 4])).join("") +
      [[b, c], [-b, c], [b, -c]].map(([u, v]) => line([u, v, -h], [u, v, h])).join("") +
      line([-b, c, -f], [b, c, -f]) + line([b, -c, -f], [b, c, -f]);
    return [svg("path", { fill: theme.grid, "fill-opacity": 0.35, d: corners.map((p, k) => (k ? "L" : "M") + at(p)).join("") + "Z" }),
            path(grid, theme.grid, theme.grid_width), path(edges, theme.soft, theme.axis_width * 0.8)];
  }

  labels(camera: Camera): SVGElement[] {
    const { labels, ticks } = this.labelsOf(new View(this.placed(camera)));
    const strokes = svg("path", { fill: "none", stroke: this.theme.soft, "stroke-width": short(this.theme.axis_width * 0.8), d: ticks });
    return [strokes, ...labels.map((label) => drawnLine(label.line, label.x, label.y, label.color, label.angle))];
  }

  private labelsOf(view: View): { labels: Label[]; ticks: string } {
    const { x: b, y: c, floor } = this.back(view), out = { labels: [] as Label[], ticks: "" }, taken: number[][] = [];
    let x = -1, y = -1, leftmost = Infinity;
    for (const i of [-1, 1])
      for (const j of [-1, 1]) {
        const at = i * view.ct - j * view.st;
        if (at < leftmost) [leftmost, x, y] = [at, i, j];
      }
    const edges = { x: this.edgeOf(view, (s) => [2 * s - 1, -c, floor]), y: this.edgeOf(view, (s) => [-b, 2 * s - 1, floor]),
                    z: this.edgeOf(view, (s) => [x, y, kBoxHeight * (2 * s - 1)]) };
    for (const which of ["x", "y", "z"] as const) this.labelTicks(which, edges[which], out, taken);
    // That of the upright axis first: it cannot be pushed past a level one.
    for (const which of ["z", "x", "y"] as const) this.labelTitle(which, edges[which], out, taken);
    return out;
  }

  private edgeOf(view: View, spot: (share: number) => number[]): Edge {
    const at = (share: number) => view.at(...(spot(share) as [number, number, number]));
    const from = at(0), to = at(1), middle = view.at(0, 0, 0);
    const length = Math.max(1e-9, Math.hypot(to[0] - from[0], to[1] - from[1]));
    let way = [-(to[1] - from[1]) / length, (to[0] - from[0]) / length];
    const half = [(from[0] + to[0]) / 2, (from[1] + to[1]) / 2];
    if ((half[0] - middle[0]) * way[0] + (half[1] - middle[1]) * way[1] < 0) way = [-way[0], -way[1]];
    return { from, to, half, way, length, reach: 0 };
  }

  /** Ticks and their labels along an edge, pushed away from the middle of the box. */
  private labelTicks(which: "x" | "y" | "z", edge: Edge, out: { labels: Label[]; ticks: string }, taken: number[][]): void {
    const axis = this.axes[which], scale = this.scales[which], { from, to, way, length } = edge;
    const along = [Math.abs(to[0] - from[0]) / length, Math.abs(to[1] - from[1]) / length];
    let last = -1e9;
    axis.ticks!.forEach((t, i) => {
      const share = scale.share(t), label = axis.labels![i], height = label.a + label.d;
      const p = [from[0] + share * (to[0] - from[0]), from[1] + share * (to[1] - from[1])];
      out.ticks += `M${short(p[0])} ${short(p[1])}L${short(p[0] + way[0] * 3)} ${short(p[1] + way[1] * 3)}`;
      const clear = (Math.abs(way[0]) * label.w) / 2 + (Math.abs(way[1]) * height) / 2;
      edge.reach = Math.max(edge.reach, 2 * clear);
      const needed = Math.min(label.w / Math.max(1e-9, along[0]), height / Math.max(1e-9, along[1]));
      const x = p[0] + way[0] * (kTick + clear), y = p[1] + way[1] * (kTick + clear);
      const box = [x - label.w / 2 - 1, y - height / 2, x + label.w / 2 + 1, y + height / 2];
      if (Math.abs(share * length - last) < needed + 2 || isTaken(box, taken)) return;
      last = share * length;
      taken.push(box);
      out.labels.push({ line: label, x: x - label.w / 2, y: y + label.a * 0.37, color: this.theme.soft, angle: 0 });
    });
  }

  /** A title beside the middle of its edge, pushed out until it stands free of all labels. */
  private labelTitle(which: "x" | "y" | "z", { half, way, reach }: Edge, out: { labels: Label[] }, taken: number[][]): void {
    const title = this.axes[which].title_line, color = this.theme.ink, farthest = 300;
    if (!title) return;
    const isUpright = which === "z", across = isUpright ? title.a + title.d : title.w, down = isUpright ? title.w : title.a + title.d;
    const clear = isUpright ? across / 2 : (Math.abs(way[0]) * across) / 2 + (Math.abs(way[1]) * down) / 2;
    const [areaX, areaY, areaWidth, areaHeight] = this.panel.area;
    let left = 0, top = 0;
    const start = kTick + reach + (isUpright ? 4 : 3) + clear, sideways = 50;
    // Away from its edge, then above or below what it cannot pass.
    for (let push = start, beyond = 0; ; push < start + sideways ? (push += 2) : (beyond += 2)) {
      left = half[0] + (isUpright ? (way[0] < 0 ? -push : push) : way[0] * push) - across / 2;
      top = half[1] + (isUpright ? 0 : way[1] * push + (way[1] < 0 ? -beyond : beyond)) - down / 2;
      // Long ones are not centred where that would lead off the page.
      left = Math.min(Math.max(left, areaX), Math.max(areaX, areaX + areaWidth - across));
      if (isUpright) top = Math.min(Math.max(top, areaY), Math.max(areaY, areaY + areaHeight - down));
      if (!isTaken([left - 1, top, left + across + 1, top + down], taken) || beyond > farthest) break;
    }
    taken.push([left, top, left + across, top + down]);
    out.labels.push(isUpright ? { line: title, x: left + title.a, y: top + down, color, angle: Math.PI / 2 }
      : { line: title, x: left, y: top + title.a, color, angle: 0 });
  }

  // -- reading

  /** Where a datum is seen, in points of the page. */
  placeOf(camera: Camera, layer: number, place: number): [number, number] {
    const solid = this.solids.find((s) => s.layer.index === layer)!, k = 3 * place;
    return new View(this.placed(camera)).at(solid.spots[k], solid.spots[k + 1], solid.spots[k + 2]);
  }

  count(layer: number): number {
    return this.solids.find((s) => s.layer.index === layer)?.depth.length ?? 0;
  }

  reading(panel: number, layer: number, place: number, distance: number): Reading {
    const solid = this.solids.find((s) => s.layer.index === layer)!, { model } = solid.layer, { columns } = solid;
    const x = solid.layer.x[columns > 0 ? place % columns : place], y = solid.layer.y[columns > 0 ? Math.floor(place / columns) : place];
    const z = solid.layer.z[place];
    const rows = new Rows(this.panel, solid.layer, this.scales);
    rows.at("x", x).at("y", y).at("z", z);
    if (solid.layer.values.length > 0) rows.value(solid.layer.values[place], model.colors);
    return { panel, layer, place, label: model.label ?? "", color: model.colors ? "" : model.color, rows: rows.texts,
             quantities: rows.quantities, x, y, z, distance };
  }

  /** The datum that is seen at a place of the page. */
  readingAt(panel: number, camera: Camera, hidden: Set<number>, px: number, py: number, reach: number, origin: [number, number]): Reading | null {
    const view = new View(this.placed(camera));
    let best: { layer: number; place: number } | null = null, least = reach;
    for (const solid of this.solids) {
      if (solid.columns > 0 || hidden.has(solid.layer.index)) continue;
      for (let k = 0; k < solid.depth.length; ++k) {
        const [x, y] = view.at(solid.spots[3 * k], solid.spots[3 * k + 1], solid.spots[3 * k + 2]);
        const distance = Math.hypot(x - px, y - py);
        if (distance < least) {
          least = distance;
          best = { layer: solid.layer.index, place: k };
        }
      }
    }
    if (best) return this.reading(panel, best.layer, best.place, least);
    const { raster } = this;
    if (!raster.keepsIds) return null;
    const scale = raster.width / this.drawnWidth, column = Math.floor((px - origin[0]) * scale), row = Math.floor((py - origin[1]) * scale);
    const piece = this.pieceNear(column, row, Math.round(3 * scale));
    if (piece < 0) return null;
    const solid = this.solids[this.pieceSolid[piece]], at = this.pieceAt[piece];
    let place = at;
    least = Infinity;
    for (const k of [at, at + 1, at + solid.columns, at + solid.columns + 1]) {
      const [x, y] = view.at(solid.spots[3 * k], solid.spots[3 * k + 1], solid.spots[3 * k + 2]), distance = Math.hypot(x - px, y - py);
      if (distance < least) {
        least = distance;
        place = k;
      }
    }
    return this.reading(panel, solid.layer.index, place, least);
  }
  /** The cell that is seen at a pixel, or nearest to it: peaks are read from just beside them too. */
  private pieceNear(column: number, row: number, reach: number): number {
    const { width, height, ids } = this.raster;
    let best = -1, least = Infinity;
    for (let j = Math.max(0, row - reach); j <= Math.min(height - 1, row + reach); ++j)
      for (let i = Math.max(0, column - reach); i <= Math.min(width - 1, column + reach); ++i) {
        const distance = (i - column) ** 2 + (j - row) ** 2;
        if (distance < least && ids[j * width + i] > 0) {
          least = distance;
          best = ids[j * width + i] - 1;
        }
      }
    return best;
  }

  drawnWidth = 1; // of the canvas, in points
}
