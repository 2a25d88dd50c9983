// One panel on the page: its canvas, what the program drew around it, and what it shows now.
import type { Model, PanelModel } from "./types";
import type { LayerData } from "./data";
import { axisElements, gridLines, planAxis, type AxisPlan } from "./axes";
import { Mapping, setDash } from "./ink";
import { drawLayer } from "./layers";
import { Raster } from "./raster";
import { readingAt, type Reading } from "./reading";
import { SpacePanel, type Camera } from "./space";
import { drawnLine, short, svg, type Texts } from "./text";
import { Scale } from "./scale";

export interface Limits {
  x: [number, number];
  y: [number, number];
  right: [number, number]; // of the right axis, which goes along with y
}

export const copyOf = ({ x, y, right }: Limits): Limits => ({ x: [...x], y: [...y], right: [...right] });
const kNames = ["x", "y", "right"] as const;

let cuts = 0;
const kPad = 14; // around the area, for markers that reach beyond it

function groups(svgElement: SVGElement, part: string): SVGElement[] {
  return Array.from(svgElement.querySelectorAll<SVGElement>(`g[data-part="${part}"]`));
}

export class PanelView {
  readonly canvas: HTMLCanvasElement;
  readonly under: SVGElement;
  readonly over: SVGElement;
  readonly hidden = new Set<number>();
  space: SpacePanel | null;
  limits: Limits;
  home: Limits; // for the layers that are shown
  camera: Camera | null;
  isMoving = false;
  private readonly raster = new Raster();
  private readonly drawn = new Map<SVGElement, Node[]>(); // what the program drew, by its group
  private readonly labels: SVGElement;
  private readonly guides: SVGElement;

  constructor(readonly index: number, readonly model: PanelModel, readonly figure: Model, public layers: LayerData[],
              root: HTMLElement, private readonly texts: Texts) {
    const find = <T extends Element>(kind: string) => root.querySelector<T>(`${kind}[data-panel="${index}"]`)!;
    this.canvas = find<HTMLCanvasElement>("canvas");
    this.under = find<SVGElement>("svg.under");
    this.over = find<SVGElement>("svg.over");
    this.limits = copyOf(this.asDrawn);
    this.home = copyOf(this.asDrawn);
    this.space = model.space ? new SpacePanel(model, layers, figure.theme) : null;
    this.camera = model.space ? SpacePanel.start(model) : null;
    for (const [element, part] of [[this.under, "grid"], [this.over, "axis"], [this.over, "guide"]] as const)
      for (const group of groups(element, part)) this.drawn.set(group, Array.from(group.childNodes));
    this.labels = svg("g", { "data-part": "labels" });
    this.over.prepend(this.labels);
    this.guides = this.group(this.over, "guide");
    for (const group of [this.group(this.under, "grid"), this.group(this.over, "axis")]) if (this.space) this.cut(group);
  }

  /** Other data in the place of its layers. */
  setLayers(layers: LayerData[], order: number[]): void {
    this.layers = layers;
    this.model.order = order;
    this.model.layers = layers.map((layer) => layer.model);
    if (this.layers.length > 0 && this.space) this.space = new SpacePanel(this.model, layers, this.figure.theme);
  }
  /** What these groups hold now is what the program drew. */
  forget(groupsNow: Element[]): void {
    for (const group of this.drawn.keys()) if (groupsNow.includes(group)) this.drawn.set(group, Array.from(group.childNodes));
  }

  /** A box in space that is zoomed stays in its part of the page. */
  private cut(group: SVGElement): void {
    const [x, y, width, height] = this.box, id = `cut-${++cuts}`, clip = svg("clipPath", { id });
    clip.append(svg("rect", { x: short(x), y: short(y), width: short(width), height: short(height) }));
    group.before(clip);
    group.setAttribute("clip-path", `url(#${id})`);
  }

  /** The group of a part, made where the program drew none. */
  private group(element: SVGElement, part: string): SVGElement {
    let found = groups(element, part)[0];
    if (!found) {
      found = svg("g", { "data-part": part });
      if (part === "axis") element.append(found);
      else if (part === "guide") this.labels.after(found);
      else element.append(found);
      this.drawn.set(found, []);
    }
    return found;
  }

  get isFlat(): boolean {
    return !this.space;
  }
  /** The part of the page that belongs to it. */
  get box(): [number, number, number, number] {
    return this.space ? this.model.outer : this.model.area;
  }
  contains(x: number, y: number): boolean {
    const [left, top, width, height] = this.box;
    return x >= left && x <= left + width && y >= top && y <= top + height;
  }
  get mapping(): Mapping {
    return new Mapping(this.scale("x"), this.scale("y"), this.model.area);
  }
  /** That of a layer: by the left axis, or by the right one. */
  mappingOf(layer: LayerData): Mapping {
    return layer.model.on_right ? new Mapping(this.scale("x"), this.scale("right"), this.model.area) : this.mapping;
  }
  scale(which: "x" | "y" | "right"): Scale {
    const axis = this.model[which] ?? this.model.y, [low, high] = this.limits[which];
    return new Scale(axis.kind, low, high, axis.reverse);
  }
  /** The limits that the program gave it. */
  get asDrawn(): Limits {
    const { x, y, right = y } = this.model;
    return { x: [x.low, x.high], y: [y.low, y.high], right: [right.low, right.high] };
  }
  private isAt(other: Limits): boolean {
    return kNames.every((w) => this.limits[w][0] === other[w][0] && this.limits[w][1] === other[w][1]);
  }
  private get isAsDrawn(): boolean {
    return this.isAt(this.asDrawn);
  }
  get isHome(): boolean {
    return this.isAt(this.home);
  }

  /** The canvas between whole pixels: its corner in points, and its size in pixels. */
  canvasBox(pixels: number): { x: number; y: number; width: number; height: number } {
    const [left, top, width, height] = this.box, pad = this.space ? 0 : kPad;
    const x = Math.max(0, Math.floor((left - pad) * pixels)), y = Math.max(0, Math.floor((top - pad) * pixels));
    const right = Math.min(Math.ceil(this.figure.width * pixels), Math.ceil((left + width + pad) * pixels));
    const bottom = Math.min(Math.ceil(this.figure.height * pixels), Math.ceil((top + height + pad) * pixels));
    return { x: x / pixels, y: y / pixels, width: right - x, height: bottom - y };
  }

  /** The data on a canvas of `pixels` for a point; returns the labels that stand among them. */
  drawData(canvas: HTMLCanvasElement, pixels: number): SVGElement[] {
    const box = this.canvasBox(pixels);
    if (canvas.width !== box.width || canvas.height !== box.height) {
      canvas.width = box.width;
      canvas.height = box.height;
    }
    const origin: [number, number] = [box.x, box.y];
    if (this.space) {
      this.space.drawnWidth = box.width / pixels;
      this.space.draw(canvas, this.camera!, this.hidden, pixels, origin, this.isMoving);
      return [];
    }
    const ctx = canvas.getContext("2d")!, labels: SVGElement[] = [];
    ctx.setTransform(1, 0, 0, 1, 0, 0);
    ctx.clearRect(0, 0, box.width, box.height);
    ctx.setTransform(pixels, 0, 0, pixels, -box.x * pixels, -box.y * pixels);
    const plane = { ctx, map: this.mapping, theme: this.figure.theme, pixels, origin, raster: this.raster, isMoving: this.isMoving, labels };
    for (const k of this.model.order)
      if (!this.hidden.has(k)) drawLayer(this.layers[k], { ...plane, map: this.mappingOf(this.layers[k]) });
    return labels;
  }

  draw(pixels: number): void {
    const labels = this.drawData(this.canvas, pixels);
    this.labels.replaceChildren(...labels);
    if (this.space) this.drawSpaceAround();
    else this.drawFlatAround();
    for (const group of groups(this.over, "legend")) {
      const k = group.getAttribute("data-index");
      if (k !== null) group.setAttribute("opacity", this.hidden.has(Number(k)) ? "0.35" : "1");
    }
  }

  private restore(): void {
    for (const [group, children] of this.drawn) group.replaceChildren(...children);
  }

  private drawSpaceAround(): void {
    const start = SpacePanel.start(this.model), now = this.camera!;
    if ((Object.keys(start) as (keyof Camera)[]).every((k) => start[k] === now[k])) {
      this.restore();
      return;
    }
    groups(this.under, "grid")[0].replaceChildren(...this.space!.walls(now));
    groups(this.over, "axis")[0].replaceChildren(...this.space!.labels(now));
  }

  private plans(): { x: AxisPlan; y: AxisPlan; right: AxisPlan | null } {
    const { model, figure, limits, texts } = this;
    return { right: model.right ? planAxis(model.right, ...limits.right, model.area[3], false, figure.theme, texts) : null, x: planAxis(model.x, ...limits.x, model.area[2], true, figure.theme, texts),
             y: planAxis(model.y, ...limits.y, model.area[3], false, figure.theme, texts) };
  }

  private drawFlatAround(): void {
    const map = this.mapping;
    if (this.isAsDrawn) {
      this.restore();
    } else {
      const { x, y, right } = this.plans(), { theme } = this.figure;
      groups(this.under, "grid")[0].replaceChildren(...gridLines(this.model, x, y, theme));
      // Several groups are one: the numbers that axes leave out stand in one of their own.
      const [first, ...others] = groups(this.over, "axis");
      first.replaceChildren(...axisElements(this.model, x, y, right, theme, this.room()));
      for (const group of others) group.replaceChildren();
      this.guides.replaceChildren(...this.guideElements(map));
      this.moveContext(x, true);
      this.moveContext(y, false);
    }
    if (this.isAsDrawn) this.restoreTitles();
    this.moveNotes(map);
    this.moveEnds(map);
  }

  private bounds(element: SVGElement | undefined): [number, number, number, number] | null {
    const box = (element as SVGGraphicsElement | undefined)?.getBBox?.();
    return box && box.width > 0 ? [box.x, box.y, box.width, box.height] : null;
  }
  private titleGroup(index: number): SVGElement | undefined {
    return groups(this.over, "title").find((group) => group.getAttribute("data-index") === String(index));
  }
  private room(): { left: number; titleBelow: [number, number, number, number] | null; commonInside: boolean } {
    const yTitle = this.bounds(this.titleGroup(1));
    return { left: yTitle ? yTitle[0] + yTitle[2] + 3 : this.model.area[0] - this.model.room_left < 12 ? 2 : this.model.area[0] - this.model.room_left - 4,
             titleBelow: this.bounds(this.titleGroup(0)), commonInside: this.model.title !== "" };
  }

  private guideElements(map: Mapping): SVGElement[] {
    const [left, top, width, height] = this.model.area, out: SVGElement[] = [];
    for (const guide of this.model.guides ?? []) {
      const across = guide.vertical ? map.xs : map.ys, along = guide.vertical ? map.ys : map.xs, at = across.share(guide.at);
      if (!(at >= 0 && at <= 1)) continue;
      const end = (value: number | undefined, otherwise: number) => {
        const share = value === undefined ? otherwise : along.share(value);
        return isFinite(share) ? Math.min(1, Math.max(0, share)) : otherwise;
      };
      const place = (s: number) => guide.vertical ? [left + at * width, top + height - s * height] : [left + s * width, top + height - at * height];
      const [x0, y0] = place(end(guide.from, 0)), [x1, y1] = place(end(guide.to, 1));
      const ctx = document.createElement("canvas").getContext("2d")!;
      setDash(ctx, guide.dash, guide.width);
      out.push(svg("path", { fill: "none", stroke: guide.color, "stroke-width": short(guide.width), "stroke-linecap": ctx.lineCap,
                             "stroke-dasharray": ctx.getLineDash().join(" ") || "none", d: `M${short(x0)} ${short(y0)}L${short(x1)} ${short(y1)}` }));
    }
    return out;
  }

  /** The title of an axis of time says the day or year that its labels leave out. */
  private moveContext(plan: AxisPlan, isX: boolean): void {
    const axis = isX ? this.model.x : this.model.y;
    if (axis.kind !== "time" || axis.hidden) return;
    const { theme, } = this.figure, size = theme.axis_title_size, [left, top, width, height] = this.model.area;
    const parts = [axis.title_line, plan.ticks.context ? this.texts.plain((axis.title_line ? ", " : "") + plan.ticks.context, size) : null];
    const line = this.texts.joined(parts.filter((part) => !!part) as NonNullable<(typeof parts)[0]>[]);
    let group = this.titleGroup(isX ? 0 : 1);
    if (!group) {
      group = svg("g", { "data-part": "title", "data-index": isX ? 0 : 1 });
      this.over.append(group);
    }
    if (!this.drawn.has(group)) this.drawn.set(group, Array.from(group.childNodes));
    // Where the line before stood.
    const before = this.bounds(group);
    if (!isX) {
      const x = before ? before[0] + line.a : left - this.model.room_left + line.a;
      group.replaceChildren(drawnLine(line, x, top + (height + line.w) / 2, theme.ink, Math.PI / 2));
      return;
    }
    const y = top + height + this.model.room_below - line.d;
    group.replaceChildren(drawnLine(line, left + (width - line.w) / 2, y, theme.ink));
  }
  private restoreTitles(): void {
    for (const [group, children] of this.drawn)
      if (group.getAttribute("data-part") === "title") group.replaceChildren(...children);
  }

  /** Notes go with their points, and are gone when these are out of sight. */
  private moveNotes(map: Mapping): void {
    const { x, y } = this.model, start = new Mapping(new Scale(x.kind, x.low, x.high, x.reverse), new Scale(y.kind, y.low, y.high, y.reverse), this.model.area);
    const [left, top, width, height] = this.model.area;
    for (const group of groups(this.over, "note")) {
      const at = this.model.notes?.[Number(group.getAttribute("data-index"))];
      if (!at) continue;
      const px = map.x(at[0]), py = map.y(at[1]);
      const isSeen = this.isAsDrawn || (px >= left && px <= left + width && py >= top && py <= top + height);
      group.setAttribute("display", isSeen ? "inline" : "none");
      if (isSeen) group.setAttribute("transform", `translate(${short(px - start.x(at[0]))} ${short(py - start.y(at[1]))})`);
    }
  }

  /** Labels at the ends of lines stand where these leave the panel. */
  private moveEnds(map: Mapping): void {
    const ends = groups(this.over, "ends").filter((group) => group.hasAttribute("data-index"));
    if (ends.length === 0) return;
    const [, top, width, height] = this.model.area, right = this.model.area[0] + width, bottom = top + height;
    const found: { group: SVGElement; y: number; at: number; height: number }[] = [];
    for (const group of ends) {
      const layer = this.layers[Number(group.getAttribute("data-index"))], box = this.bounds(group);
      if (!group.dataset.y && box) group.dataset.y = String(box[1] + box[3] / 2);
      let seen = NaN;
      for (let k = layer.x.length - 1; k >= 0 && isNaN(seen) && !this.hidden.has(layer.index); --k) {
        const own = layer.model.on_right ? this.mappingOf(layer) : map, px = own.x(layer.x[k]), py = own.y(layer.y[k]);
        if (py >= top - 1 && py <= bottom + 1 && px <= right + 1) seen = py;
      }
      group.setAttribute("display", isNaN(seen) ? "none" : "inline");
      if (!isNaN(seen)) found.push({ group, y: Number(group.dataset.y), at: seen, height: box ? box[3] : 9 });
    }
    if (this.isAsDrawn && found.length === ends.length) {
      for (const { group } of found) group.removeAttribute("transform");
      return;
    }
    found.sort((a, b) => a.at - b.at);
    for (let k = 1; k < found.length; ++k) found[k].at = Math.max(found[k].at, found[k - 1].at + found[k].height + 0.5);
    let lowest = bottom;
    for (let k = found.length - 1; k >= 0; --k) {
      found[k].at = Math.min(found[k].at, lowest);
      lowest = found[k].at - found[k].height - 0.5;
    }
    for (const { group, y, at } of found) group.setAttribute("transform", `translate(0 ${short(at - y)})`);
  }

  readingAt(x: number, y: number, reach: number, pixels: number): Reading | null {
    if (this.space) {
      const box = this.canvasBox(pixels);
      return this.space.readingAt(this.index, this.camera!, this.hidden, x, y, reach, [box.x, box.y]);
    }
    return readingAt(this.index, this.model, this.layers, this.hidden, (layer) => this.mappingOf(layer), x, y, reach);
  }

  /** Where a reading stands on the page now; null when that is out of sight. */
  placeOf(reading: Reading): [number, number] | null {
    const [left, top, width, height] = this.box;
    const map = this.mappingOf(this.layers[reading.layer]);
    const [x, y] = this.space ? this.space.placeOf(this.camera!, reading.layer, reading.place)
      : [map.x(reading.x), map.y(reading.y)];
    return x >= left - 0.5 && x <= left + width + 0.5 && y >= top - 0.5 && y <= top + height + 0.5 ? [x, y] : null;
  }
}
