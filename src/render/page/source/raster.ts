// Pictures of pixels drawn piece by piece from the back to the front: quads, strokes with smooth edges, stamps.
// A canvas takes each piece as a path, which is ten times too slow for a surface that is being turned.
import { drawMarker, markerOutline } from "./ink";

interface Mask {
  half: number;
  size: number;
  paper: Uint8Array; // how much of each pixel is the inside of a ring,
  ink: Uint8Array; // and how much the marker's colour
  isFilled: boolean;
}

export class Raster {
  width = 0;
  height = 0;
  image = new ImageData(1, 1);
  private pixels = new Uint32Array(1);
  ids = new Int32Array(1); // of the pieces that are seen, when `keepsIds`
  keepsIds = false;
  private readonly masks = new Map<string, Mask[]>();

  /** An empty picture; its pixels are returned. */
  begin(width: number, height: number, keepsIds = false): Uint32Array {
    if (width !== this.width || height !== this.height) {
      this.width = width;
      this.height = height;
      this.image = new ImageData(width, height);
      this.pixels = new Uint32Array(this.image.data.buffer);
      this.ids = new Int32Array(keepsIds ? width * height : 1);
    } else this.pixels.fill(0);
    if (keepsIds && this.ids.length < width * height) this.ids = new Int32Array(width * height);
    else if (keepsIds) this.ids.fill(0);
    this.keepsIds = keepsIds;
    return this.pixels;
  }

  /** Draws some of its rows over what a canvas of `scale` times fewer pixels holds already. */
  drawOnto(ctx: CanvasRenderingContext2D, from = 0, to = this.height, scale = 1): void {
    if (to <= from) return;
    this.canvas ??= document.createElement("canvas");
    if (this.canvas.width !== this.width || this.canvas.height !== this.height) {
      this.canvas.width = this.width;
      this.canvas.height = this.height;
    }
    this.canvas.getContext("2d")!.putImageData(this.image, 0, 0, 0, from, this.width, to - from);
    ctx.save();
    ctx.setTransform(1, 0, 0, 1, 0, 0);
    ctx.imageSmoothingEnabled = scale !== 1;
    ctx.drawImage(this.canvas, 0, from, this.width, to - from, 0, from / scale, this.width / scale, (to - from) / scale);
    ctx.restore();
  }
  private canvas: HTMLCanvasElement | null = null;

  private blend(at: number, r: number, g: number, b: number, a: number): void {
    if (a <= 0) return;
    const under = this.pixels[at], ua = (under >>> 24) / 255;
    const alpha = a + ua * (1 - a), wu = (ua * (1 - a)) / alpha, wo = a / alpha;
    const red = r * wo + (under & 255) * wu, green = g * wo + ((under >>> 8) & 255) * wu,
          blue = b * wo + ((under >>> 16) & 255) * wu;
    this.pixels[at] = ((alpha * 255 + 0.5) << 24) | ((blue + 0.5) << 16) | ((green + 0.5) << 8) | (red + 0.5);
  }

  /**
   * A four-cornered piece, its corners given by their places in px and py: all pixels whose middle lies in it, so that
   * neighbours leave no seam. `rgb` is one number, `alpha` goes to 255. Whole numbers alone are handed over, since
   * engines put others into memory of their own at each of some hundred thousand calls.
   */
  quad(px: Float32Array, py: Float32Array, a: number, b: number, c: number, d: number, rgb: number, alpha: number, id: number): void {
    const x0 = px[a], y0 = py[a], x1 = px[b], y1 = py[b], x2 = px[c], y2 = py[c], x3 = px[d], y3 = py[d];
    const top = Math.min(y0, y1, y2, y3), bottom = Math.max(y0, y1, y2, y3);
    const { pixels, width, height, ids, keepsIds } = this;
    if (!(bottom > 0.5 && top < height)) return;
    // Rounding of numbers that are not negative.
    const low = top <= 0.5 ? 0 : (top + 0.5) | 0, high = bottom >= height ? height : (bottom + 0.5) | 0;
    const color = -16777216 | rgb, opaque = alpha === 255;
    const e0 = (x1 - x0) / (y1 - y0), e1 = (x2 - x1) / (y2 - y1), e2 = (x3 - x2) / (y3 - y2), e3 = (x0 - x3) / (y0 - y3);
    for (let row = low; row < high; ++row) {
      const y = row + 0.5, above0 = y0 <= y, above1 = y1 <= y, above2 = y2 <= y, above3 = y3 <= y;
      let left = 1e9, right = -1e9, x = 0;
      if (above0 !== above1) {
        x = x0 + (y - y0) * e0;
        left = x;
        right = x;
      }
      if (above1 !== above2) {
        x = x1 + (y - y1) * e1;
        if (x < left) left = x;
        if (x > right) right = x;
      }
      if (above2 !== above3) {
        x = x2 + (y - y2) * e2;
        if (x < left) left = x;
        if (x > right) right = x;
      }
      if (above3 !== above0) {
        x = x3 + (y - y3) * e3;
        if (x < left) left = x;
        if (x > right) right = x;
      }
      const start = row * width, from = start + (left <= 0.5 ? 0 : left > width ? width : (left + 0.5) | 0);
      const to = start + (right >= width ? width : right <= 0.5 ? 0 : (right + 0.5) | 0);
      if (opaque) for (let at = from; at < to; ++at) pixels[at] = color;
      else for (let at = from; at < to; ++at) this.blend(at, rgb & 255, (rgb >> 8) & 255, (rgb >> 16) & 255, alpha / 255);
      if (keepsIds) for (let at = from; at < to; ++at) ids[at] = id;
    }
  }

  /** A stroke with smooth edges and round ends. */
  segment(x0: number, y0: number, x1: number, y1: number, width: number, r: number, g: number, b: number, a: number): void {
    const reach = Math.max(width, 1) / 2 + 0.5, thin = Math.min(1, width);
    const dx = x1 - x0, dy = y1 - y0, length2 = dx * dx + dy * dy, length = Math.sqrt(length2);
    const steep = Math.abs(dy) > Math.abs(dx);
    const across = reach * (length > 0 ? length / Math.max(Math.abs(dx), Math.abs(dy)) : 1) + 1;
    const [s0, t0, s1, t1] = steep ? [y0, x0, y1, x1] : [x0, y0, x1, y1];
    const lowS = Math.max(0, Math.floor(Math.min(s0, s1) - reach)), highS = Math.min((steep ? this.height : this.width) - 1, Math.ceil(Math.max(s0, s1) + reach));
    const slope = s1 !== s0 ? (t1 - t0) / (s1 - s0) : 0, lastT = (steep ? this.width : this.height) - 1;
    for (let s = lowS; s <= highS; ++s) {
      const along = Math.min(Math.max(s0, s1), Math.max(Math.min(s0, s1), s + 0.5));
      const t = t0 + slope * (along - s0);
      const from = Math.max(0, Math.floor(t - across)), to = Math.min(lastT, Math.ceil(t + across));
      for (let q = from; q <= to; ++q) {
        const px = (steep ? q : s) + 0.5 - x0, py = (steep ? s : q) + 0.5 - y0;
        let u = length2 > 0 ? (px * dx + py * dy) / length2 : 0;
        u = u < 0 ? 0 : u > 1 ? 1 : u;
        const ex = px - u * dx, ey = py - u * dy, d2 = ex * ex + ey * ey;
        if (d2 >= reach * reach) continue;
        const cover = Math.min(1, reach - Math.sqrt(d2)) * thin;
        this.blend(steep ? s * this.width + q : q * this.width + s, r, g, b, a * cover);
      }
    }
  }

  /** A marker's masks at quarters of a pixel. */
  private masksOf(shape: string, size: number, scale: number): Mask[] {
    const key = `${shape}/${size}/${scale}`;
    let found = this.masks.get(key);
    if (found) return found;
    if (this.masks.size > 512) this.masks.clear();
    const look = markerOutline(shape, size);
    let reach = look.radius + look.stroke;
    for (const piece of look.pieces) for (const [dx, dy] of piece) reach = Math.max(reach, Math.hypot(dx, dy) + look.stroke);
    const half = Math.ceil(reach * scale) + 1, n = 2 * half + 1;
    const canvas = document.createElement("canvas");
    canvas.width = canvas.height = n;
    const ctx = canvas.getContext("2d", { willReadFrequently: true })!;
    found = [];
    for (let phase = 0; phase < 16; ++phase) {
      ctx.setTransform(1, 0, 0, 1, 0, 0);
      ctx.clearRect(0, 0, n, n);
      ctx.setTransform(scale, 0, 0, scale, half + ((phase >> 2) + 0.5) / 4, half + ((phase & 3) + 0.5) / 4);
      drawMarker(ctx, look, 0, 0, "#0f0", "#f00");
      const data = ctx.getImageData(0, 0, n, n).data;
      const mask: Mask = { half, size: n, paper: new Uint8Array(n * n), ink: new Uint8Array(n * n), isFilled: look.filled };
      for (let k = 0; k < n * n; ++k) {
        mask.paper[k] = (data[4 * k] * data[4 * k + 3]) / 255;
        mask.ink[k] = (data[4 * k + 1] * data[4 * k + 3]) / 255;
      }
      found.push(mask);
    }
    this.masks.set(key, found);
    return found;
  }

  /** A marker of a size in points, `scale` pixels each. */
  marker(shape: string, size: number, scale: number, x: number, y: number, color: number[], paper: number[]): void {
    const ix = Math.floor(x), iy = Math.floor(y);
    const mask = this.masksOf(shape, Math.round(size * 8) / 8, scale)[(Math.floor((x - ix) * 4) << 2) | Math.floor((y - iy) * 4)];
    const { ink, paper: inside } = mask, n = mask.size, [r, g, b, alpha] = color, solid = (255 << 24) | (b << 16) | (g << 8) | r;
    for (let j = 0; j < n; ++j) {
      const row = iy - mask.half + j;
      if (row < 0 || row >= this.height) continue;
      for (let i = 0, k = j * n; i < n; ++i, ++k) {
        const column = ix - mask.half + i, at = row * this.width + column;
        if (column < 0 || column >= this.width) continue;
        if (mask.isFilled && inside[k] > 0) this.blend(at, paper[0], paper[1], paper[2], (inside[k] / 255) * alpha);
        if (ink[k] === 255 && alpha >= 1) this.pixels[at] = solid;
        else if (ink[k] > 0) this.blend(at, r, g, b, (ink[k] / 255) * alpha);
      }
    }
  }
}

/** The parts of a CSS colour as the program writes them: red, green, blue to 255, opacity to 1. */
export function partsOf(css: string): number[] {
  if (css.startsWith("#")) return [1, 3, 5].map((k) => parseInt(css.slice(k, k + 2), 16)).concat(1);
  return css.replace(/[^\d.,]/g, "").split(",").map(Number);
}
