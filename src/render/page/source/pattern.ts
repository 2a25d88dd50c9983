// Patterns of areas: as src/figure/pattern.cpp draws them, where the canvas cuts them to their areas.
import type { Box, LayerModel, Theme } from "./types";
import { setDash } from "./ink";

const kSpacing = 4.2, kLine = 0.8, kDot = 1.3, kGround = 0.16;

/** Lines at an angle across a part of the page; they stand at the same places wherever it lies. */
function lines(ctx: CanvasRenderingContext2D, [left, top, width, height]: Box, angle: number, spacing: number): void {
  const c = Math.cos(angle), s = Math.sin(angle);
  const corners = [[left, top], [left + width, top], [left, top + height], [left + width, top + height]];
  const ys = corners.map(([x, y]) => y * c - x * s), xs = corners.map(([x, y]) => x * c + y * s);
  const from = Math.min(...xs), to = Math.max(...xs);
  for (let k = Math.ceil(Math.min(...ys) / spacing); k * spacing < Math.max(...ys); ++k) {
    const y = k * spacing;
    ctx.moveTo(from * c - y * s, y * c + from * s);
    ctx.lineTo(to * c - y * s, y * c + to * s);
  }
}

function dots(ctx: CanvasRenderingContext2D, [left, top, width, height]: Box, spacing: number, size: number): void {
  const row = spacing * 0.8;
  for (let j = Math.ceil(top / row); j * row < top + height; ++j) {
    const shift = j % 2 === 0 ? 0 : spacing / 2;
    for (let k = Math.ceil((left - shift) / spacing); k * spacing + shift < left + width; ++k) {
      ctx.moveTo(k * spacing + shift + size / 2, j * row);
      ctx.arc(k * spacing + shift, j * row, size / 2, 0, 2 * Math.PI);
    }
  }
}

/** Fills the areas that `trace` makes the path of, in the colour and the pattern of their layer. */
export function fillArea(ctx: CanvasRenderingContext2D, model: LayerModel, theme: Theme, bounds: Box, trace: () => void): void {
  ctx.fillStyle = ctx.strokeStyle = model.color;
  ctx.beginPath();
  trace();
  if (!model.pattern) {
    ctx.fill();
    return;
  }
  const factor = theme.line_factor, spacing = kSpacing * Math.max(1, factor), eighth = Math.PI / 4;
  ctx.save();
  ctx.globalAlpha = kGround;
  ctx.fill();
  ctx.globalAlpha = 1;
  ctx.clip();
  ctx.beginPath();
  setDash(ctx, undefined, kLine * factor);
  ctx.lineWidth = kLine * factor;
  if (model.pattern === "dotted") {
    dots(ctx, bounds, spacing, kDot * factor);
    ctx.fill();
  }
  if (model.pattern === "rising" || model.pattern === "crossed") lines(ctx, bounds, -eighth, spacing);
  if (model.pattern === "falling" || model.pattern === "crossed") lines(ctx, bounds, eighth, spacing);
  if (model.pattern === "level") lines(ctx, bounds, 0, spacing);
  if (model.pattern === "upright") lines(ctx, bounds, 2 * eighth, spacing);
  if (model.pattern !== "dotted") ctx.stroke();
  ctx.restore();
  ctx.lineWidth = kLine * factor;
  setDash(ctx, undefined, kLine * factor);
  ctx.beginPath();
  trace();
  ctx.stroke();
}
