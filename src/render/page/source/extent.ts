// What the layers of a panel cover: as the program finds it, for limits that follow what is shown.
import type { AxisModel, PanelModel } from "./types";
import type { LayerData } from "./data";
import { paddedLimits } from "./scale";

interface Wanted {
  low: number;
  high: number;
  tightLow: boolean;
  tightHigh: boolean;
}
const nothing = (): Wanted => ({ low: Infinity, high: -Infinity, tightLow: false, tightHigh: false });

function widen(wanted: Wanted, values: ArrayLike<number>, axis: AxisModel): void {
  for (let k = 0; k < values.length; ++k) {
    const v = values[k];
    if (!isFinite(v) || (axis.kind === "log" && !(v > 0))) continue;
    if (v < wanted.low) wanted.low = v;
    if (v > wanted.high) wanted.high = v;
  }
}

function unite(all: Wanted, one: Wanted): void {
  if (!(one.low <= one.high)) return;
  if (one.low < all.low) all.tightLow = one.tightLow;
  else if (one.low === all.low) all.tightLow ||= one.tightLow;
  if (one.high > all.high) all.tightHigh = one.tightHigh;
  else if (one.high === all.high) all.tightHigh ||= one.tightHigh;
  all.low = Math.min(all.low, one.low);
  all.high = Math.max(all.high, one.high);
}

function covered(layer: LayerData, panel: PanelModel): { x: Wanted; y: Wanted } {
  const x = nothing(), y = nothing(), { model } = layer, base = model.base ?? 0;
  switch (model.kind) {
    case "boxes":
      widen(x, layer.left, panel.x);
      widen(x, layer.right, panel.x);
      widen(y, layer.low, panel.y);
      widen(y, layer.high, panel.y);
      if (model.lying) {
        x.tightLow = x.low === base;
        x.tightHigh = x.high === base;
      } else {
        y.tightLow = y.low === base;
        y.tightHigh = y.high === base;
      }
      break;
    case "region":
    case "error_bars":
      widen(x, layer.x, panel.x);
      widen(x, layer.left, panel.x);
      widen(x, layer.right, panel.x);
      widen(y, layer.y, panel.y);
      widen(y, layer.low, panel.y);
      widen(y, layer.high, panel.y);
      if (model.kind === "region" && layer.low.length > 0 && layer.low.every((v) => isNaN(v) || v === base)) y.tightLow = y.low === base;
      break;
    case "heatmap":
    case "contours":
    case "filled_contours":
      widen(x, layer.x, panel.x);
      widen(y, layer.y, panel.y);
      x.tightLow = x.tightHigh = y.tightLow = y.tightHigh = true;
      break;
    default: {
      widen(x, layer.x, panel.x);
      const { focus } = model;
      widen(y, focus ? layer.y.map((v) => Math.min(focus[1], Math.max(focus[0], v))) : layer.y, panel.y);
      if (model.kind === "stems") widen(y, [base], panel.y);
      if (model.kind === "arrows") {
        for (const [wanted, values, axis] of [[x, layer.x, panel.x], [y, layer.y, panel.y]] as const) {
          const places = new Set(values).size, count = values.length;
          const parts = 2 * places < count ? places - 1 : Math.sqrt(count);
          const room = (0.5 * (wanted.high - wanted.low)) / Math.max(2, parts);
          if (!isFinite(room) || axis.kind === "log") continue;
          wanted.low -= room;
          wanted.high += room;
        }
      }
    }
  }
  return { x, y };
}

/** The limits of an axis for the layers of one panel, or of linked ones, that are shown. */
export function limitsOf(which: "x" | "y", panels: { model: PanelModel; layers: LayerData[]; hidden: Set<number> }[]): [number, number] | null {
  const all = nothing();
  for (const panel of panels)
    for (const layer of panel.layers)
      if (!panel.hidden.has(layer.index)) unite(all, covered(layer, panel.model)[which]);
  if (!(all.low <= all.high)) return null;
  return paddedLimits(all.low, all.high, panels[0].model[which].kind, all.tightLow, all.tightHigh);
}
