// What the pointer and the keys do.
import type { FigureView } from "./figure";
import type { PanelView } from "./panel";
import { SpacePanel } from "./space";
import { countOf, datumOf, readingOf } from "./reading";

const kWheel = 0.0016, kClick = 4; // pixels that a click may move

interface Drag {
  kind: "box" | "pan" | "turn" | "axis" | "touch";
  panel: PanelView;
  which: "x" | "y" | "both";
  start: [number, number];
  last: [number, number];
  moved: boolean;
  button: number;
}

export class Gestures {
  isPanning = false; // a plain drag pans instead of drawing out a box
  private drag: Drag | null = null;
  private readonly touches = new Map<number, [number, number]>();
  private settle = 0;
  private readonly moving = new Set<PanelView>(); // that have not converge
  private readonly cursors = new Map<PanelView, { layer: number; place: number }>(); // of the keys

  constructor(private readonly figure: FigureView) {
    const { stage } = figure;
    stage.addEventListener("wheel", (e) => this.wheel(e), { passive: false });
    stage.addEventListener("pointerdown", (e) => this.down(e));
    stage.addEventListener("pointermove", (e) => this.move(e));
    stage.addEventListener("pointerup", (e) => this.up(e));
    stage.addEventListener("pointercancel", (e) => this.up(e));
    stage.addEventListener("pointerleave", (e) => {
      // What a finger pointed to is still read when it is gone.
      if (!this.drag && e.pointerType !== "touch") figure.leave();
    });
    stage.addEventListener("dblclick", (e) => {
      const panel = figure.panelAt(...this.at(e));
      if (panel && !(e.target as Element).closest(".entry")) figure.whole(panel);
    });
    stage.addEventListener("contextmenu", (e) => {
      if (figure.panelAt(...this.at(e))) e.preventDefault();
    });
  }

  private at(e: { clientX: number; clientY: number }): [number, number] {
    const box = this.figure.stage.getBoundingClientRect();
    return [(e.clientX - box.left) / this.figure.pixels, (e.clientY - box.top) / this.figure.pixels];
  }

  /** The view is one to come back to when nothing moves for a while. */
  private soon(panel: PanelView): void {
    clearTimeout(this.settle);
    this.figure.isSettling = true;
    this.moving.add(panel);
    this.settle = window.setTimeout(() => {
      this.figure.isSettling = false;
      for (const one of this.moving) this.figure.setMoving(one, false);
      this.moving.clear();
      this.figure.keep();
    }, 350);
  }

  private wheel(e: WheelEvent): void {
    const [x, y] = this.at(e), panel = this.figure.panelAt(x, y), axis = panel ? null : this.figure.axisAt(x, y);
    if (!panel && !axis) return;
    // Within a longer page the wheel scrolls, until the figure has been clicked.
    const { root } = this.figure;
    if (root.dataset.fill !== "window" && !e.ctrlKey && !root.contains(document.activeElement)) return;
    e.preventDefault();
    const unit = e.deltaMode === 1 ? 16 : e.deltaMode === 2 ? 400 : 1;
    const factor = Math.exp(Math.max(-1, Math.min(1, e.deltaY * unit * kWheel)));
    const target = panel ?? axis!.panel;
    this.figure.setMoving(target, true);
    this.figure.zoom(target, factor, x, y, axis ? axis.which : e.shiftKey ? "x" : e.altKey ? "y" : "both");
    if (panel) this.figure.read(x, y);
    this.soon(target);
  }

  private down(e: PointerEvent): void {
    if ((e.target as Element).closest(".entry")) return;
    const at = this.at(e), panel = this.figure.panelAt(...at), axis = panel ? null : this.figure.axisAt(...at);
    if (!panel && !axis) return;
    try {
      this.figure.stage.setPointerCapture(e.pointerId);
    } catch { /* a pointer that is gone already */ }
    if (e.pointerType === "touch") {
      this.touches.set(e.pointerId, at);
      if (this.touches.size === 2) {
        this.figure.box = null;
        this.drag = panel ? { kind: "touch", panel, which: "both", start: at, last: at, moved: true, button: 0 } : null;
        return;
      }
    }
    const pans = e.shiftKey || e.button !== 0 || this.isPanning;
    const kind = axis ? "axis" : panel!.space ? (pans ? "pan" : "turn") : pans ? "pan" : "box";
    this.drag = { kind, panel: panel ?? axis!.panel, which: axis?.which ?? "both", start: at, last: at, moved: false, button: e.button };
    // The keys go to the panel that was touched; the ring around it is for those who came by keys.
    const pane = this.figure.root.querySelector<HTMLElement>(`.pane[data-panel="${this.drag.panel.index}"]`);
    if (pane && document.activeElement !== pane) {
      pane.classList.add("touched");
      pane.addEventListener("blur", () => pane.classList.remove("touched"), { once: true });
      pane.focus({ preventScroll: true });
    }
    if (e.pointerType !== "touch") e.preventDefault();
  }

  private pinch(e: PointerEvent): void {
    const at = this.at(e), other = [...this.touches].find(([id]) => id !== e.pointerId)![1], before = this.touches.get(e.pointerId)!;
    const { panel } = this.drag!;
    const spread = (p: number[]) => Math.hypot(p[0] - other[0], p[1] - other[1]);
    const middle = [(at[0] + other[0]) / 2, (at[1] + other[1]) / 2];
    this.figure.setMoving(panel, true);
    this.figure.pan(panel, (at[0] - before[0]) / 2, (at[1] - before[1]) / 2);
    if (spread(at) > 8) this.figure.zoom(panel, Math.max(0.3, Math.min(3, spread(before) / spread(at))), middle[0], middle[1]);
    this.touches.set(e.pointerId, at);
  }

  private move(e: PointerEvent): void {
    const at = this.at(e), { drag, figure } = this;
    if (drag?.kind === "touch" && this.touches.size === 2 && this.touches.has(e.pointerId)) return this.pinch(e);
    if (!drag) {
      if (e.pointerType !== "touch") figure.read(...at);
      return;
    }
    if (!drag.moved && Math.hypot(at[0] - drag.start[0], at[1] - drag.start[1]) * figure.pixels < kClick) return;
    drag.moved = true;
    const dx = at[0] - drag.last[0], dy = at[1] - drag.last[1];
    drag.last = at;
    figure.setMoving(drag.panel, true);
    if (drag.kind === "box" && e.pointerType === "touch") figure.read(...at);
    else if (drag.kind === "box") this.drawBox(drag, at);
    else if (drag.kind === "turn") {
      figure.hover = null;
      figure.turn(drag.panel, dx * 0.6, dy * 0.6);
    } else {
      figure.hover = null;
      figure.pan(drag.panel, dx, dy, drag.which);
    }
  }

  /** A box that is thin goes along one axis alone, across all of the other. */
  private drawBox(drag: Drag, at: [number, number]): void {
    const [left, top, width, height] = drag.panel.model.area, thin = 8 / this.figure.pixels;
    const inside = (v: number, from: number, length: number) => Math.min(from + length, Math.max(from, v));
    let x0 = inside(drag.start[0], left, width), x1 = inside(at[0], left, width);
    let y0 = inside(drag.start[1], top, height), y1 = inside(at[1], top, height);
    if (Math.abs(y1 - y0) < thin && Math.abs(x1 - x0) >= thin) [y0, y1] = [top, top + height];
    else if (Math.abs(x1 - x0) < thin && Math.abs(y1 - y0) >= thin) [x0, x1] = [left, left + width];
    this.figure.box = [Math.min(x0, x1), Math.min(y0, y1), Math.abs(x1 - x0), Math.abs(y1 - y0)];
    this.figure.hover = null;
    this.figure.pointer = at;
    this.figure.drawMarks();
  }

  private up(e: PointerEvent): void {
    const { drag, figure } = this, at = this.at(e);
    this.touches.delete(e.pointerId);
    if (!drag) return;
    if (drag.kind === "touch" && this.touches.size > 0) return;
    this.drag = null;
    const box = figure.box;
    figure.box = null;
    figure.setMoving(drag.panel, false);
    if (e.type === "pointercancel") {
      figure.drawMarks();
      return;
    }
    if (!drag.moved && drag.kind !== "axis" && drag.button === 0) {
      figure.read(...at);
      if (figure.hover) figure.pin(figure.hover);
    } else if (drag.kind === "box" && box) {
      const [left, top, width, height] = drag.panel.model.area, [x, y, w, h] = box;
      if (w * figure.pixels > kClick && h * figure.pixels > kClick) {
        if (w < width) figure.setShares(drag.panel, "x", (x - left) / width, (x + w - left) / width);
        if (h < height) figure.setShares(drag.panel, "y", (top + height - y - h) / height, (top + height - y) / height);
      }
    }
    figure.redraw(drag.panel);
    figure.keep();
  }

  // -- keys

  /** True when the key means something to a panel. */
  key(e: KeyboardEvent, panel: PanelView): boolean {
    const { figure } = this, [left, top, width, height] = panel.box, middle: [number, number] = [left + width / 2, top + height / 2];
    if (e.ctrlKey || e.metaKey || e.altKey) {
      const undo = e.key.toLowerCase() === "z" && !e.shiftKey, redo = e.key.toLowerCase() === "y" || (e.key.toLowerCase() === "z" && e.shiftKey);
      if (!(e.ctrlKey || e.metaKey) || (!undo && !redo)) return false;
      if (undo) figure.undo();
      else figure.redo();
      return true;
    }
    const step = 0.1, arrows: Record<string, [number, number]> = { ArrowLeft: [1, 0], ArrowRight: [-1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };
    if (e.key in arrows) {
      const [dx, dy] = arrows[e.key];
      if (panel.space && !e.shiftKey) figure.turn(panel, -dx * 5, dy * 5);
      else figure.pan(panel, dx * step * width, dy * step * height);
      this.soon(panel);
      return true;
    }
    const standard: Record<string, [number, number]> = { "2": [0, 0], "3": [90, 0], "4": [0, 90] };
    if (panel.space && (e.key in standard || e.key === "1")) {
      const start = SpacePanel.start(panel.model);
      panel.camera = e.key === "1" ? start : { ...start, turn: standard[e.key][0], tilt: standard[e.key][1] };
      figure.redraw(panel);
      figure.keep();
      return true;
    }
    switch (e.key) {
      case "+":
      case "=": figure.zoom(panel, 1 / 1.25, ...middle); this.soon(panel); return true;
      case "-":
      case "_": figure.zoom(panel, 1.25, ...middle); this.soon(panel); return true;
      case "0":
      case "Home": figure.whole(panel); return true;
      case "u": figure.undo(); return true;
      case "r": figure.redo(); return true;
      case "c": figure.setCrosshair(!figure.hasCrosshair); return true;
      case "n": this.step(panel, 1); return true;
      case "p": this.step(panel, -1); return true;
      case "l": this.nextLayer(panel); return true;
      case "Enter":
      case " ": if (figure.hover) figure.pin(figure.hover); return true;
      case "Escape": this.cursors.delete(panel); figure.box = null; figure.leave(); return true;
      default: return false;
    }
  }

  private shownLayers(panel: PanelView): number[] {
    return panel.model.order.filter((k) => !panel.hidden.has(k));
  }

  /** The reading at the next datum that can be seen. */
  private step(panel: PanelView, by: number): void {
    const shown = this.shownLayers(panel);
    if (shown.length === 0) return;
    let cursor = this.cursors.get(panel);
    if (!cursor || !shown.includes(cursor.layer)) this.cursors.set(panel, (cursor = { layer: shown[0], place: by > 0 ? -1 : Infinity }));
    const { layer } = cursor, data = panel.layers[layer], count = panel.space ? panel.space.count(layer) : countOf(data);
    const start = Math.min(cursor.place, count);
    for (let place = start + by; place >= 0 && place < count; place += by) {
      const reading = panel.space ? panel.space.reading(panel.index, layer, place, 0)
        : readingOf(panel.index, panel.model, data, panel.mappingOf(data), datumOf(data, place));
      const at = isFinite(reading.x) && isFinite(reading.y) ? panel.placeOf(reading) : null;
      if (!at) continue;
      cursor.place = place;
      this.figure.point(reading, at);
      return;
    }
  }

  private nextLayer(panel: PanelView): void {
    const shown = this.shownLayers(panel), cursor = this.cursors.get(panel), k = cursor ? shown.indexOf(cursor.layer) : -1;
    if (shown.length === 0) return;
    this.cursors.set(panel, { layer: shown[(k + 1) % shown.length], place: -1 });
    this.step(panel, 1);
  }
}
