// Ticks, labels and lines around a panel in the plane, for the limits that it shows now: as
// src/figure/axes.cpp draws them. The area is unchanged; labels fit the room that the program left.
import type { AxisModel, Box, Line, PanelModel, Theme } from "./types";
import { formatted, labelsOf, ticksOf, type Ticks } from "./ticks";
import { drawnLine, short, svg, type Texts } from "./text";
import { Scale } from "./scale";

const kTickGap = 3, kSlant = 0.7;

export interface AxisPlan {
  scale: Scale;
  ticks: Ticks;
  labels: Line[];
  broken: Line[][] | null;
  slanted: boolean;
  common: Line | null;
}

/** Whether neighbouring labels would touch. */
function isCrowded(plan: AxisPlan, length: number, isX: boolean, size: number): boolean {
  const at = plan.ticks.positions.map((p) => plan.scale.share(p) * length);
  for (let k = 1; k < plan.labels.length; ++k) {
    const a = plan.labels[k - 1], b = plan.labels[k];
    const needed = isX ? (a.w + b.w) / 2 + size * 0.8 : (a.a + a.d + b.a + b.d) / 2;
    if (Math.abs(at[k] - at[k - 1]) < needed) return true;
  }
  return false;
}

/** The ticks of an axis that was told which to have: those inside the limits. */
function askedTicks(axis: AxisModel, scale: Scale, size: number, texts: Texts): AxisPlan {
  const places = axis.ticks!.map((_, k) => k).filter((k) => axis.ticks![k] >= scale.low && axis.ticks![k] <= scale.high)
    .sort((a, b) => axis.ticks![a] - axis.ticks![b]);
  const positions = places.map((k) => axis.ticks![k]);
  const plan: AxisPlan = { scale, ticks: { positions, labels: [], common: [], step: 0, minor: [], context: "" },
                           labels: [], broken: null, slanted: false, common: null };
  if (axis.labels) {
    const empty: Line = { w: 0, a: 0, d: 0, runs: [] };
    plan.labels = places.map((k) => axis.labels![k] ?? empty);
    if (axis.broken) plan.broken = places.map((k) => axis.broken![k] ?? []);
    return plan;
  }
  const said = labelsOf(axis.ticks!, scale);
  plan.ticks.labels = places.map((k) => said.labels[k]);
  plan.ticks.common = said.common;
  plan.ticks.context = said.context;
  plan.labels = plan.ticks.labels.map((label) => texts.line(label, size));
  return plan;
}

export function planAxis(axis: AxisModel, low: number, high: number, length: number, isX: boolean, theme: Theme,
                         texts: Texts): AxisPlan {
  const scale = new Scale(axis.kind, low, high, axis.reverse);
  const size = axis.size ?? theme.tick_size;
  const finish = (plan: AxisPlan) => {
    if (axis.format && !axis.labels) {
      const asked = plan.ticks.positions.map((p) => formatted(p === 0 ? 0 : p, axis.format!));
      if (asked.every((text) => text !== null)) {
        plan.ticks.labels = asked as string[];
        plan.ticks.common = [];
        plan.labels = plan.ticks.labels.map((label) => texts.line(label, size));
      }
    }
    plan.common = plan.ticks.common.length > 0 && !axis.hidden ? texts.said(plan.ticks.common, size) : null;
    return plan;
  };
  if (axis.ticks) {
    const plan = finish(askedTicks(axis, scale, size, texts));
    // Between ticks that were asked for others come when one looks closer, unless they are names.
    if (axis.labels || plan.ticks.positions.length > 1 || axis.ticks.length < 2) {
      if (axis.labels && isX && isCrowded(plan, length, isX, size)) plan.slanted = !!axis.slanted;
      else if (isX) plan.broken = null; // beside the y axis they have no more room when one looks closer
      for (let stride = 2; !plan.broken && !plan.slanted && isCrowded(shown(plan), length, isX, size) &&
           stride <= plan.labels.length; ++stride)
        plan.labels = plan.labels.map((label, k) => (k % stride === 0 ? label : { ...label, w: 0, runs: [] }));
      return plan;
    }
  }
  const spacing = ((isX ? 44 : 27) * size) / 7.5;
  let plan!: AxisPlan;
  for (let wanted = Math.min(9, Math.max(3, length / spacing)); wanted >= 1.9; wanted *= 0.8) {
    const ticks = ticksOf(scale, wanted, axis.count);
    if (!axis.minor && axis.kind === "linear") ticks.minor = [];
    plan = finish({ scale, ticks, labels: ticks.labels.map((label) => texts.line(label, size)), broken: null,
                    slanted: false, common: null });
    if (!isCrowded(plan, length, isX, size)) return plan;
  }
  // Two that are far apart, or one where there is no room for two.
  if (plan.labels.length > 2)
    for (const all of [plan.ticks.positions, plan.ticks.labels, plan.labels]) all.splice(1, all.length - 2);
  while (plan.labels.length > 1 && isCrowded(plan, length, isX, size)) {
    plan.ticks.positions.pop();
    plan.ticks.labels.pop();
    plan.labels.pop();
  }
  return plan;
}

/** Without the labels that are left out. */
function shown(plan: AxisPlan): AxisPlan {
  const kept = plan.labels.map((_, k) => k).filter((k) => plan.labels[k].runs.length > 0);
  return { ...plan, labels: kept.map((k) => plan.labels[k]),
           ticks: { ...plan.ticks, positions: kept.map((k) => plan.ticks.positions[k]) } };
}

export function gridLines(panel: PanelModel, x: AxisPlan, y: AxisPlan, theme: Theme): SVGElement[] {
  const [left, top, width, height] = panel.area;
  let d = "";
  if (panel.grid?.[0])
    for (const t of x.ticks.positions) d += `M${short(left + x.scale.share(t) * width)} ${short(top)}v${short(height)}`;
  if (panel.grid?.[1])
    for (const t of y.ticks.positions) d += `M${short(left)} ${short(top + height - y.scale.share(t) * height)}h${short(width)}`;
  return d ? [svg("path", { fill: "none", stroke: theme.grid, "stroke-width": short(theme.grid_width), d })] : [];
}

interface Room {
  left: number; // the place that y labels may reach to
  titleBelow: Box | null; // of the x axis
  commonInside: boolean; // no room above the area
}

class AxisDrawing {
  private lines = "";
  private readonly boxes: SVGElement[] = [];
  private readonly labels: SVGElement[] = [];
  constructor(private readonly panel: PanelModel, private readonly theme: Theme, private readonly room: Room) {}

  run(x: AxisPlan, y: AxisPlan, rightAxis: AxisPlan | null): SVGElement[] {
    const [left, top, width, height] = this.panel.area, right = left + width, bottom = top + height;
    const [hasLeft, hasBottom, hasRight, hasTop] = this.panel.frame ?? [true, true, false, false];
    const crossing = (at: number | undefined, other: Scale, edge: number, start: number, length: number) => {
      const share = at === undefined ? NaN : other.share(at);
      return isFinite(share) ? start + Math.min(1, Math.max(0, share)) * length : edge;
    };
    const level = crossing(this.panel.x.at, y.scale, bottom, bottom, -height);
    const upright = crossing(this.panel.y.at, x.scale, left, left, width);
    const drawsX = hasBottom || this.panel.x.at !== undefined, drawsY = hasLeft || this.panel.y.at !== undefined;
    if (hasBottom && hasLeft && this.panel.x.at === undefined && this.panel.y.at === undefined)
      this.lines += `M${short(left)} ${short(top)}V${short(bottom)}H${short(right)}`;
    else {
      if (drawsX) this.lines += `M${short(left)} ${short(level)}H${short(right)}`;
      if (drawsY) this.lines += `M${short(upright)} ${short(top)}V${short(bottom)}`;
    }
    if (hasTop) this.lines += `M${short(left)} ${short(top)}H${short(right)}`;
    if (hasRight) this.lines += `M${short(right)} ${short(top)}V${short(bottom)}`;
    if (drawsX) this.ticks(x, true, level);
    if (drawsY) this.ticks(y, false, upright);
    if (rightAxis) this.rightTicks(rightAxis, right, top, bottom);
    this.commonTexts(x, y, upright);
    const path = svg("path", { fill: "none", stroke: this.theme.ink, "stroke-width": short(this.theme.axis_width),
                               "stroke-linejoin": "round", d: this.lines });
    return [path, ...this.boxes, ...this.labels];
  }

  private rightTicks(plan: AxisPlan, right: number, top: number, bottom: number): void {
    const { tick_length: length, ink, soft } = this.theme, color = this.panel.right!.size ? ink : soft;
    this.lines += `M${short(right)} ${short(top)}V${short(bottom)}`;
    const mark = (value: number, size: number) => {
      const y = bottom - plan.scale.share(value) * (bottom - top);
      this.lines += `M${short(right)} ${short(y)}h${short(size)}`;
      return y;
    };
    for (const t of plan.ticks.minor) mark(t, length * 0.55);
    const widest = Math.max(0, ...plan.labels.map((label) => label.w)), room = this.panel.right_labels ?? widest;
    const shrink = widest > room && room > 0 ? Math.max(0.6, room / widest) : 1;
    plan.ticks.positions.forEach((t, k) => {
      const y = mark(t, length), label = plan.labels[k];
      const text = drawnLine(label, right + length + kTickGap, y + label.a * shrink * 0.37, color);
      if (shrink < 1) text.setAttribute("transform", `${text.getAttribute("transform")} scale(${short(shrink)})`);
      text.setAttribute("data-tick", "right");
      this.labels.push(text);
    });
    if (!plan.common || !(plan.common.w > 0)) return;
    const tallest = Math.max(0, ...plan.labels.map((label) => label.a + label.d));
    this.labels.push(this.room.commonInside ? this.inside(plan.common, right - plan.common.w - 4, top + plan.common.a)
      : drawnLine(plan.common, right + length, top - tallest / 2 - 3 - plan.common.d, soft));
  }

  private place(share: number, isX: boolean, across: number): [number, number] {
    const [left, top, width, height] = this.panel.area;
    return isX ? [left + share * width, across] : [across, top + height - share * height];
  }

  private ticks(plan: AxisPlan, isX: boolean, across: number): void {
    const axis = isX ? this.panel.x : this.panel.y, other = isX ? this.panel.y : this.panel.x;
    const length = this.theme.tick_length, gap = length + kTickGap;
    const mark = (value: number, size: number) => {
      const [px, py] = this.place(plan.scale.share(value), isX, across);
      this.lines += `M${short(px)} ${short(py)}${isX ? "v" : "h-"}${short(size)}`;
    };
    for (const t of plan.ticks.minor) mark(t, length * 0.55);
    const widest = Math.max(0, ...plan.labels.map((label) => label.w));
    const room = across - gap - this.room.left;
    const shrink = !isX && axis.at === undefined && widest > room && room > 0 ? Math.max(0.6, room / widest) : 1;
    plan.ticks.positions.forEach((t, k) => {
      mark(t, length);
      if (axis.hidden || (axis.at !== undefined && other.at === t)) return;
      const label = plan.labels[k], [px, py] = this.place(plan.scale.share(t), isX, across);
      const color = axis.size ? this.theme.ink : this.theme.soft;
      if (plan.broken) {
        const height = plan.broken[k].reduce((sum, line) => sum + line.a + line.d, 0);
        let top = isX ? py + gap : py - height / 2;
        for (const line of plan.broken[k]) {
          this.labels.push(drawnLine(line, isX ? px - line.w / 2 : px - gap - line.w, top + line.a, color));
          top += line.a + line.d;
        }
      } else if (plan.slanted) {
        const side = label.a * 0.5, c = Math.cos(kSlant), s = Math.sin(kSlant);
        this.labels.push(drawnLine(label, px - label.w * c + side * s, py + gap + label.w * s + side * c, color, kSlant));
      } else {
        const at = isX ? [px - label.w / 2, py + gap + label.a] : [px - gap - label.w * shrink, py + label.a * shrink * 0.37];
        if (axis.label_box && label.w > 0)
          this.boxes.push(svg("rect", { x: short(at[0] - 2), y: short(at[1] - label.a * 0.85), width: short(label.w + 4),
                                        height: short(label.a * 0.85 + label.d), fill: this.theme.paper, "fill-opacity": 0.75 }));
        const text = drawnLine(label, at[0], at[1], color);
        if (shrink < 1) text.setAttribute("transform", `${text.getAttribute("transform")} scale(${short(shrink)})`);
        text.setAttribute("data-tick", isX ? "x" : "y");
        this.labels.push(text);
      }
    });
  }

  private commonTexts(x: AxisPlan, y: AxisPlan, upright: number): void {
    const [left, top, width, height] = this.panel.area, bottom = top + height, right = left + width;
    const soft = this.theme.soft;
    if (x.common && x.common.w > 0) {
      const line = x.common, title = this.room.titleBelow;
      const start = right - line.w, below = bottom + this.panel.room_below - line.d;
      const meets = title ? title[0] + title[2] + 6 > start : this.panel.room_below < 20;
      this.labels.push(meets ? this.inside(line, start - 3, bottom - 4 - line.d) : drawnLine(line, start, below, soft));
    }
    if (y.common && y.common.w > 0) {
      const line = y.common, widest = Math.max(0, ...y.labels.map((label) => label.w));
      const tallest = Math.max(0, ...y.labels.map((label) => label.a + label.d));
      const start = Math.max(9, upright - this.theme.tick_length - kTickGap - widest);
      this.labels.push(this.room.commonInside ? this.inside(line, upright + 4, top + line.a)
        : drawnLine(line, start, top - tallest / 2 - 3 - line.d, soft));
    }
  }

  /** On a ground that lets it be read over the data. */
  private inside(line: Line, x: number, y: number): SVGElement {
    const group = svg("g");
    group.append(svg("rect", { x: short(x - 2), y: short(y - line.a), width: short(line.w + 4), height: short(line.a + line.d),
                               fill: this.theme.paper, "fill-opacity": 0.85 }),
                 drawnLine(line, x, y, this.theme.soft));
    return group;
  }
}

export function axisElements(panel: PanelModel, x: AxisPlan, y: AxisPlan, right: AxisPlan | null, theme: Theme, room: Room): SVGElement[] {
  return new AxisDrawing(panel, theme, room).run(x, y, right);
}

/** "×10⁶" */
export function powerText(exponent: number): string {
  const up = "⁰¹²³⁴⁵⁶⁷⁸⁹";
  return "×10" + String(exponent).replace(/\d/g, (d) => up[Number(d)]).replace("-", "⁻");
}

/** A number to within a step, with a power of ten where it would be long. */
export function plainNumber(v: number, step: number): string {
  if (v === 0) return "0";
  const size = Math.abs(v);
  const exponent = Math.floor(Math.log10(size) + 1e-12);
  const finest = Math.floor(Math.log10(step) + 1e-12);
  const sign = v < 0 ? "−" : "";
  // Trim trailing zeros of exact numbers.
  const trimmed = (text: string, exact: number) =>
    Math.abs(Number(text) - exact) < 1e-12 * exact && text.includes(".") ? text.replace(/\.?0+$/, "") : text;
  if (size >= 1e7 && finest > 0 || size < 1e-4) {
    const digits = Math.min(15, Math.max(0, exponent - finest));
    const lead = size / Math.pow(10, exponent);
    return sign + trimmed(lead.toFixed(digits), lead) + powerText(exponent);
  }
  return sign + trimmed(size.toFixed(Math.min(15, Math.max(0, -finest))), size);
}

