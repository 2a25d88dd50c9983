// A figure on the page: its panels, the view and the views before it, pinned readings.
import type { Model } from "./types";
import { Palette, layerData } from "./data";
import { limitsOf } from "./extent";
import { Frames } from "./frames";
import { PanelView, copyOf, type Limits } from "./panel";
import type { Reading } from "./reading";
import { SpacePanel, type Camera } from "./space";
import { Scale } from "./scale";
import { Texts, short, svg } from "./text";

interface View {
  limits: Limits[];
  cameras: (Camera | null)[];
}

const kPointsPerPixel = 72 / 96;

export class FigureView {
  readonly panels: PanelView[] = [];
  readonly stage: HTMLElement;
  readonly marks: SVGElement;
  readonly pins: Reading[] = [];
  hover: Reading | null = null;
  hasCrosshair = false;
  pointer: [number, number] | null = null; // points
  box: [number, number, number, number] | null = null; // that is being drawn out
  pixels = 1; // CSS pixels for a point
  private readonly views: View[] = [];
  private at = 0;
  private readonly stale = new Set<PanelView>();
  private frame = 0;
  private readonly listeners: (() => void)[] = [];
  drawings = 0; // so far
  isSettling = false; // moved by the wheel or keys, and not kept yet
  frames: Frames | null = null; // of an animated figure
  announce: (reading: Reading) => void = () => {}; // to those who listen

  private constructor(readonly root: HTMLElement, readonly model: Model) {
    this.stage = root.querySelector<HTMLElement>(".stage")!;
    this.marks = svg("svg", { class: "marks", viewBox: `0 0 ${model.width} ${model.height}`, "aria-hidden": "true" });
  }

  static async make(root: HTMLElement, model: Model): Promise<FigureView> {
    const out = new FigureView(root, model), texts = new Texts(model.texts);
    const palettes = new Map(Object.entries(model.palettes).map(([name, hex]) => [name, new Palette(hex)]));
    const frames = Frames.of(root);
    if (frames) out.frames = new Frames(out, frames, Array.from(root.querySelectorAll<SVGElement>(".stage > svg")), palettes);
    for (const [k, panel] of model.panels.entries()) {
      const layers = await Promise.all(panel.layers.map((layer, j) => layerData(layer, j, palettes)));
      out.panels.push(new PanelView(k, panel, model, layers, root, texts));
    }
    out.stage.append(out.marks);
    out.views.push(out.view());
    out.fit();
    return out;
  }

  onChange(listener: () => void): void {
    this.listeners.push(listener);
  }
  touched(): void {
    this.changed();
  }
  private changed(): void {
    for (const listener of this.listeners) listener();
  }

  // -- drawing

  get ratio(): number {
    return window.devicePixelRatio || 1;
  }

  /** As large as the room lets it be, in whole pixels of the screen. */
  fit(): void {
    const style = getComputedStyle(this.root), sides = parseFloat(style.paddingLeft) + parseFloat(style.paddingRight);
    const natural = this.model.width / kPointsPerPixel, room = this.root.clientWidth - sides;
    const tall = this.root.dataset.fill === "window" ? (window.innerHeight - 150) / (this.model.height / kPointsPerPixel) : Infinity;
    const most = this.root.dataset.fill === "window" ? 1.75 : 1;
    let factor = Math.max(Math.min(1, room / natural), Math.min(most, room / natural, tall));
    if (Math.abs(factor - 1) < 0.01) factor = 1; // exactly its own size
    const width = Math.round(natural * factor * this.ratio) / this.ratio;
    this.pixels = width / this.model.width;
    this.stage.style.width = `${width}px`;
    this.stage.style.height = `${this.model.height * this.pixels}px`;
    // Its corner between whole pixels of the screen, so that nothing is smoothed over.
    const corner = this.root.getBoundingClientRect(), padding = (side: string) => parseFloat(style.getPropertyValue("padding-" + side));
    const whole = (from: number, by: number) => `${Math.ceil((from + by) * this.ratio - 1e-6) / this.ratio - from}px`;
    this.stage.style.marginLeft = whole(corner.left + window.scrollX + padding("left"), Math.max(0, (room - width) / 2));
    this.stage.style.marginTop = whole(corner.top + window.scrollY + padding("top"), 0);
    for (const panel of this.panels) {
      const box = panel.canvasBox(this.pixels * this.ratio), { style: canvas } = panel.canvas;
      canvas.left = `${box.x * this.pixels}px`;
      canvas.top = `${box.y * this.pixels}px`;
      canvas.width = `${box.width / this.ratio}px`;
      canvas.height = `${box.height / this.ratio}px`;
    }
    this.redraw();
    this.changed();
  }

  redraw(...panels: PanelView[]): void {
    for (const panel of panels.length > 0 ? panels : this.panels) this.stale.add(panel);
    this.ask();
  }
  private ask(): void {
    if (!this.frame) this.frame = requestAnimationFrame(() => this.drawNow());
  }
  drawNow(): void {
    if (this.frame) cancelAnimationFrame(this.frame);
    this.frame = 0;
    for (const panel of this.stale) panel.draw(this.pixels * this.ratio);
    this.stale.clear();
    this.drawMarks();
    ++this.drawings;
  }

  /** What is over everything: the box that is drawn out, the crosshair, the readings. */
  drawMarks(): void {
    const { ink, paper } = this.model.theme, out: SVGElement[] = [];
    const panel = this.pointer && this.panelAt(...this.pointer);
    if (this.hasCrosshair && this.pointer && panel?.isFlat) {
      const [left, top, width, height] = panel.model.area, [x, y] = this.pointer;
      out.push(svg("path", { class: "crosshair", fill: "none", stroke: ink, "stroke-width": 0.6, "stroke-opacity": 0.7,
                             "stroke-dasharray": "2 2", d: `M${short(left)} ${short(y)}h${short(width)}M${short(x)} ${short(top)}v${short(height)}` }));
    }
    if (this.box) {
      const [x, y, width, height] = this.box;
      out.push(svg("rect", { class: "box", x: short(x), y: short(y), width: short(width), height: short(height), fill: ink,
                             "fill-opacity": 0.08, stroke: ink, "stroke-width": 0.8 }));
    }
    const ring = (reading: Reading, radius: number, name: string) => {
      const place = this.panels[reading.panel].placeOf(reading);
      if (!place) return null;
      out.push(svg("circle", { class: name, cx: short(place[0]), cy: short(place[1]), r: radius, fill: "none", stroke: paper, "stroke-width": 3 }),
               svg("circle", { class: name, cx: short(place[0]), cy: short(place[1]), r: radius, fill: "none", stroke: ink, "stroke-width": 1.2 }));
      return place;
    };
    this.pins.forEach((pin, k) => {
      const place = ring(pin, 3.6, "pin");
      if (!place) return;
      const text = svg("text", { class: "t", x: short(place[0] - 5), y: short(place[1] - 5), "text-anchor": "end", "font-size": 7.5, "font-weight": 600, fill: ink,
                                 stroke: paper, "stroke-width": 2.5, "paint-order": "stroke" });
      text.textContent = String(k + 1);
      out.push(text);
    });
    if (this.hover) ring(this.hover, 4.2, "hover");
    this.marks.replaceChildren(...out);
  }

  // -- where things are

  panelAt(x: number, y: number): PanelView | null {
    for (let k = this.panels.length - 1; k >= 0; --k) if (this.panels[k].contains(x, y)) return this.panels[k];
    return null;
  }
  /** The panel whose axis lies at a place: below or to the left of its area. */
  axisAt(x: number, y: number): { panel: PanelView; which: "x" | "y" } | null {
    for (const panel of this.panels) {
      if (!panel.isFlat) continue;
      const [left, top, width, height] = panel.model.area;
      if (x >= left && x <= left + width && y > top + height && y < top + height + panel.model.room_below) return { panel, which: "x" };
      if (y >= top && y <= top + height && x < left && x > left - panel.model.room_left) return { panel, which: "y" };
    }
    return null;
  }
  linked(panel: PanelView, which: "x" | "y"): PanelView[] {
    const all = which === "x" ? panel.model.link_x : panel.model.link_y;
    return all ? all.map((k) => this.panels[k]) : [panel];
  }

  // -- views

  private view(): View {
    return { limits: this.panels.map((p) => copyOf(p.limits)),
             cameras: this.panels.map((p) => (p.camera ? { ...p.camera } : null)) };
  }
  private show(view: View): void {
    this.panels.forEach((panel, k) => {
      panel.limits = copyOf(view.limits[k]);
      panel.camera = view.cameras[k] && { ...view.cameras[k]! };
    });
    this.redraw();
    this.changed();
  }
  /** The view as it is now becomes one to come back to. */
  keep(): void {
    if (JSON.stringify(this.view()) === JSON.stringify(this.views[this.at])) return;
    this.views.splice(this.at + 1);
    this.views.push(this.view());
    this.at = this.views.length - 1;
    this.changed();
  }
  get canUndo(): boolean {
    return this.at > 0;
  }
  get canRedo(): boolean {
    return this.at + 1 < this.views.length;
  }
  undo(): void {
    if (this.canUndo) this.show(this.views[--this.at]);
  }
  redo(): void {
    if (this.canRedo) this.show(this.views[++this.at]);
  }
  /** All of every panel, or of one and those linked to it. */
  whole(only?: PanelView): void {
    for (const panel of this.panels) {
      if (only && panel !== only) continue;
      for (const which of ["x", "y"] as const)
        for (const one of this.linked(panel, which)) {
          one.limits[which] = [...one.home[which]];
          if (which === "y") one.limits.right = [...one.home.right];
        }
      if (panel.space) panel.camera = SpacePanel.start(panel.model);
    }
    this.redraw();
    this.keep();
  }

  setLimits(panel: PanelView, which: "x" | "y", low: number, high: number): void {
    if (!(low < high) || !isFinite(low) || !isFinite(high)) return;
    // No closer than numbers can be distinguished, and not so far that the data are a dot.
    if (high - low < 1e-11 * Math.max(Math.abs(low), Math.abs(high))) return;
    const home = panel.home[which];
    if (panel.scale(which).isLinear && high - low > 1e5 * (home[1] - home[0])) return;
    if (panel.scale(which).kind === "log" && (low < 1e-300 || high > 1e300)) return;
    for (const one of this.linked(panel, which)) {
      one.limits[which] = [low, high];
      this.stale.add(one);
    }
    this.ask();
    this.changed();
  }

  /** Between two shares of the axis as it is now. */
  setShares(panel: PanelView, which: "x" | "y", from: number, to: number): void {
    const { limits, model } = panel, axis = model[which], scale = new Scale(axis.kind, ...limits[which], false);
    const [a, b] = axis.reverse ? [1 - to, 1 - from] : [from, to];
    const before = limits[which];
    this.setLimits(panel, which, scale.at(a), scale.at(b));
    // The right axis goes along, unless the left one stays.
    const { right } = model;
    if (which !== "y" || !right || limits.y === before) return;
    const other = new Scale(right.kind, ...limits.right, false), [c, d] = right.reverse ? [1 - to, 1 - from] : [from, to];
    const [low, high] = [other.at(c), other.at(d)];
    if (low < high && isFinite(low) && isFinite(high)) limits.right = [low, high];
  }

  /** `factor` < 1 comes closer; the place (points) stays where it is. */
  zoom(panel: PanelView, factor: number, x: number, y: number, which: "x" | "y" | "both" = "both"): void {
    if (panel.space) {
      const c = panel.camera!, zoom = c.zoom / factor, now = panel.space.placed(c);
      if (zoom > 60 || zoom < 1 / 8) return;
      c.dx += (now.x - x) * (1 / factor - 1);
      c.dy += (now.y - y) * (1 / factor - 1);
      c.zoom = zoom;
      this.redraw(panel);
      this.changed();
      return;
    }
    const [left, top, width, height] = panel.model.area;
    const sx = (x - left) / width, sy = (top + height - y) / height;
    if (which !== "y") this.setShares(panel, "x", sx * (1 - factor), sx + (1 - sx) * factor);
    if (which !== "x") this.setShares(panel, "y", sy * (1 - factor), sy + (1 - sy) * factor);
  }

  /** Moves what is shown along with the pointer. */
  pan(panel: PanelView, dx: number, dy: number, which: "x" | "y" | "both" = "both"): void {
    if (panel.space) {
      panel.camera!.dx += dx;
      panel.camera!.dy += dy;
      this.redraw(panel);
      this.changed();
      return;
    }
    const [, , width, height] = panel.model.area;
    if (which !== "y" && dx !== 0) this.setShares(panel, "x", -dx / width, 1 - dx / width);
    if (which !== "x" && dy !== 0) this.setShares(panel, "y", dy / height, 1 + dy / height);
  }

  turn(panel: PanelView, by: number, tilt: number): void {
    const c = panel.camera!;
    c.turn = Math.round((((c.turn + by + 180) % 360 + 360) % 360 - 180) * 10) / 10;
    c.tilt = Math.round(Math.min(90, Math.max(-90, c.tilt + tilt)) * 10) / 10;
    this.redraw(panel);
    this.changed();
  }

  setMoving(panel: PanelView, isMoving: boolean): void {
    if (panel.isMoving === isMoving) return;
    panel.isMoving = isMoving;
    this.redraw(panel);
  }

  // -- layers

  /** Shows what is hidden, or hides it; limits that nobody asked for follow. */
  toggle(panel: PanelView, layer: number): void {
    if (panel.hidden.has(layer)) panel.hidden.delete(layer);
    else panel.hidden.add(layer);
    this.follow(panel);
  }
  /** Alone, or all again when it is alone already. */
  showAlone(panel: PanelView, layer: number): void {
    const others = panel.layers.map((l) => l.index).filter((k) => k !== layer && panel.layers[k].model.label);
    const isAlone = others.every((k) => panel.hidden.has(k)) && !panel.hidden.has(layer);
    panel.hidden.clear();
    if (!isAlone) for (const k of others) panel.hidden.add(k);
    this.follow(panel);
  }
  private follow(panel: PanelView): void {
    if (panel.isFlat)
      for (const which of ["x", "y"] as const) {
        const all = this.linked(panel, which);
        if (all.some((one) => one.model[which].fixed)) continue;
        const shown = all.every((one) => one.hidden.size === 0);
        const asDrawn: [number, number] = [panel.model[which].low, panel.model[which].high];
        const found = shown ? asDrawn : limitsOf(which, all.map((one) => ({ model: one.model, layers: one.layers.filter((l) => which === "x" || !l.model.on_right), hidden: one.hidden })));
        if (!found) continue;
        for (const one of all) {
          const isHome = one.limits[which][0] === one.home[which][0] && one.limits[which][1] === one.home[which][1];
          one.home[which] = [...found];
          if (isHome) one.limits[which] = [...found];
        }
      }
    if (this.hover && panel.hidden.has(this.hover.layer)) this.hover = null;
    this.redraw();
    this.changed();
  }

  // -- readings

  setCrosshair(isOn: boolean): void {
    this.hasCrosshair = isOn;
    this.ask();
    this.changed();
  }
  read(x: number, y: number): void {
    this.pointer = [x, y];
    const panel = this.panelAt(x, y), reach = 24;
    this.hover = panel ? panel.readingAt(x, y, reach, this.pixels * this.ratio) : null;
    this.ask();
    this.changed();
  }
  /** A reading that was come to by keys. */
  point(reading: Reading, at: [number, number]): void {
    this.pointer = at;
    this.hover = reading;
    this.ask();
    this.changed();
    this.announce(reading);
  }
  leave(): void {
    this.pointer = this.hover = null;
    this.ask();
    this.changed();
  }
  pin(reading: Reading): void {
    const same = this.pins.findIndex((p) => p.panel === reading.panel && p.layer === reading.layer && p.place === reading.place);
    if (same >= 0) this.pins.splice(same, 1);
    else this.pins.push(reading);
    this.ask();
    this.changed();
  }
  unpinAll(): void {
    this.pins.length = 0;
    this.ask();
    this.changed();
  }
}
