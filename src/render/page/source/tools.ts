// What stands around a figure on the page: buttons, the reading at the pointer, pinned readings, the table.
import type { FigureView } from "./figure";
import type { Gestures } from "./gestures";
import type { PanelView } from "./panel";
import { columnTexts, countOf, datumOf, readingOf, said, type Reading } from "./reading";
import { Scale } from "./scale";
import { copyText, download, pngOf, svgOf } from "./save";

type Child = Node | string;
function element<K extends keyof HTMLElementTagNameMap>(kind: K, attributes: Record<string, string> = {}, ...children: Child[]): HTMLElementTagNameMap[K] {
  const out = document.createElement(kind);
  for (const key in attributes) out.setAttribute(key, attributes[key]);
  out.append(...children);
  return out;
}

export function textOf(reading: Reading): string {
  return (reading.label ? reading.label + ": " : "") + reading.rows.map(([name, value]) => `${name} ${value}`).join(", ");
}

/** "camera(turn: 40, tilt: 25)", as a script has it. */
export function cameraLine(panel: PanelView): string {
  const { turn, tilt } = panel.camera!;
  return `camera(turn: ${Math.round(turn * 10) / 10}, tilt: ${Math.round(tilt * 10) / 10})`;
}

const kKeys: [string, string][] = [
  ["+ −", "zoom in, zoom out"], ["arrows", "move the view; rotate a panel in space, with Shift move it"],
  ["0", "show the whole panel"], ["u r", "undo, redo zoom"], ["c", "crosshair"], ["n p", "next and previous point"],
  ["l", "next layer"], ["Enter", "pin the reading, or remove it"], ["1 2 3 4", "in space: view as drawn, from the front, from the side, from above"],
  ["Esc", "hide the reading"],
];
const kPointer: [string, string][] = [
  ["wheel", "zoom around the pointer; over an axis, along that axis"], ["drag", "zoom to a box; in space rotate"],
  ["Shift or right button", "drag to move the view"], ["click", "pin the reading"], ["double click", "show the whole panel"],
  ["legend", "click to hide or show, double-click to show alone"], ["two fingers", "move and zoom"],
];

export class Tools {
  private readonly tip = element("div", { class: "tip", role: "presentation" });
  private readonly live = element("div", { class: "live", "aria-live": "polite" });
  private readonly pins = element("div", { class: "pins" });
  private readonly table = element("div", { class: "data", hidden: "" });
  private readonly bar = element("div", { class: "bar", role: "toolbar", "aria-label": "Figure" });
  private readonly entries: { button: HTMLButtonElement; panel: PanelView; layer: number; group: SVGGraphicsElement }[] = [];
  private readonly panes: { pane: HTMLElement; panel: PanelView }[] = [];
  private readonly updates: (() => void)[] = [];

  constructor(private readonly figure: FigureView, private readonly gestures: Gestures) {
    const { stage, root } = figure;
    for (const panel of figure.panels) this.addPane(panel);
    for (const panel of figure.panels) this.addEntries(panel);
    stage.append(this.tip);
    if ("narrow" in root.dataset) for (const panel of figure.panels) this.addList(panel);
    this.addButtons();
    this.addFrames();
    root.append(this.bar, this.live, this.pins, this.leftOut(), this.table);
    figure.announce = (reading) => (this.live.textContent = textOf(reading));
    figure.onChange(() => this.update());
    this.update();
  }

  // -- over the figure

  private describe(panel: PanelView): string {
    const parts: string[] = [];
    const axis = (which: "x" | "y" | "z") => {
      const model = panel.model[which];
      if (!model) return;
      const scale = (which === "x" || which === "y") && panel.isFlat ? panel.scale(which) : new Scale(model.kind, model.low, model.high);
      const ends = [scale.low, scale.high].map((v) => said(v, { ...model, names: undefined }, scale));
      parts.push(`${which}${model.title ? ", " + model.title : ""}, from ${ends[0]} to ${ends[1]}`);
    };
    axis("x");
    axis("y");
    axis("z");
    return (panel.model.title || this.figure.model.title || "Panel") + ": " + parts.join("; ");
  }

  private addPane(panel: PanelView): void {
    const pane = element("div", { class: "pane", tabindex: "0", role: "application", "data-panel": String(panel.index),
                                  "aria-roledescription": "panel of a figure" });
    pane.addEventListener("keydown", (e) => {
      if (this.gestures.key(e, panel)) e.preventDefault();
    });
    this.figure.stage.append(pane);
    this.panes.push({ pane, panel });
    this.updates.push(() => {
      this.placed(pane, panel.box);
      pane.setAttribute("aria-label", this.describe(panel));
    });
  }

  private placed(what: HTMLElement, [x, y, width, height]: number[]): void {
    const p = this.figure.pixels;
    Object.assign(what.style, { left: `${x * p}px`, top: `${y * p}px`, width: `${width * p}px`, height: `${height * p}px` });
  }

  /** The entries of a legend are buttons. */
  private addEntries(panel: PanelView): void {
    for (const part of ["legend", "ends"])
      for (const group of panel.over.querySelectorAll<SVGGraphicsElement>(`g[data-part="${part}"][data-index]`)) {
        const layer = Number(group.getAttribute("data-index")), name = panel.layers[layer].model.label ?? "layer";
        const button = element("button", { class: "entry", type: "button", title: "click to hide or show, double-click to show alone" });
        button.addEventListener("click", (e) => {
          if (e.detail < 2) this.figure.toggle(panel, layer);
        });
        button.addEventListener("dblclick", (e) => {
          e.stopPropagation();
          // The first of the two clicks has changed it.
          this.figure.toggle(panel, layer);
          this.figure.showAlone(panel, layer);
        });
        button.addEventListener("keydown", (e) => {
          if (e.key === "Enter" && e.shiftKey) {
            e.preventDefault();
            this.figure.showAlone(panel, layer);
          }
        });
        this.figure.stage.append(button);
        this.entries.push({ button, panel, layer, group });
        this.updates.push(() => {
          const shown = !panel.hidden.has(layer);
          button.setAttribute("aria-pressed", String(shown));
          button.setAttribute("aria-label", `${name}: ${shown ? "shown" : "hidden"}`);
          const box = group.getBBox(), shift = /translate\(\S+ (\S+)\)/.exec(group.getAttribute("transform") ?? "");
          if (box.width > 0) this.placed(button, [box.x - 2, box.y + (shift ? Number(shift[1]) : 0) - 1, box.width + 4, box.height + 2]);
        });
      }
  }

  /** On a narrow screen a legend stands below the figure. */
  private addList(panel: PanelView): void {
    const named = panel.layers.filter((layer) => layer.model.label);
    if (named.length === 0) return;
    const name = panel.model.title || `Panel ${panel.index + 1}`, list = element("div", { class: "list", role: "group", "aria-label": name });
    if (this.figure.panels.length > 1) list.append(element("span", { class: "head" }, name));
    for (const { model, index } of named) {
      const swatch = element("span", { class: "swatch" }), button = element("button", { type: "button" }, swatch, model.label!);
      swatch.style.background = model.color;
      button.addEventListener("click", () => this.figure.toggle(panel, index));
      this.updates.push(() => {
        const shown = !panel.hidden.has(index);
        button.setAttribute("aria-pressed", String(shown));
        button.classList.toggle("off", !shown);
      });
      list.append(button);
    }
    this.figure.root.append(list);
  }

  private showTip(): void {
    const { hover, pixels, pointer } = this.figure;
    // Of a cell or a bar that is larger than the view the middle or the end may be out of sight.
    const place = hover && (this.figure.panels[hover.panel].placeOf(hover) ?? pointer);
    if (!hover || !place) {
      this.tip.hidden = true;
      return;
    }
    this.tip.replaceChildren(...this.readingParts(hover));
    this.tip.hidden = false;
    const x = place[0] * pixels, y = place[1] * pixels, { offsetWidth: w, offsetHeight: h } = this.tip;
    const width = this.figure.model.width * pixels;
    const left = x + 14 + w > width ? Math.max(0, x - 14 - w) : x + 14, top = Math.max(0, y - h - 10);
    Object.assign(this.tip.style, { left: `${left}px`, top: `${top}px` });
  }

  private readingParts(reading: Reading): Node[] {
    const out: Node[] = [];
    if (reading.label) {
      const head = element("div", { class: "head" });
      if (reading.color) {
        const swatch = element("span", { class: "swatch" });
        swatch.style.background = reading.color;
        head.append(swatch);
      }
      head.append(reading.label);
      out.push(head);
    }
    for (const [name, value] of reading.rows)
      out.push(element("div", { class: "row" }, element("span", { class: "name" }, name), element("span", { class: "value" }, value)));
    return out;
  }

  // -- below it

  private button(name: string, what: string, action: () => void, state?: () => { disabled?: boolean; pressed?: boolean }): void {
    const button = element("button", { type: "button", title: what }, name);
    button.addEventListener("click", () => {
      action();
      this.update();
    });
    this.bar.append(button);
    if (state)
      this.updates.push(() => {
        const { disabled, pressed } = state();
        if (disabled !== undefined) button.disabled = disabled;
        if (pressed !== undefined) button.setAttribute("aria-pressed", String(pressed));
      });
  }

  private addButtons(): void {
    const { figure, gestures } = this, { name } = figure.model;
    this.button("Whole figure", "show all of every panel (0 in a panel)", () => figure.whole());
    this.button("Undo zoom", "previous view (u)", () => figure.undo(), () => ({ disabled: !figure.canUndo }));
    this.button("Redo zoom", "next view (r)", () => figure.redo(), () => ({ disabled: !figure.canRedo }));
    this.button("Move", "drag moves the view instead of zooming to a box", () => (gestures.isPanning = !gestures.isPanning),
                () => ({ pressed: gestures.isPanning }));
    if (figure.panels.some((panel) => panel.isFlat))
      this.button("Crosshair", "lines through the pointer (c)", () => figure.setCrosshair(!figure.hasCrosshair), () => ({ pressed: figure.hasCrosshair }));
    if (figure.panels.some((panel) => panel.space))
      this.button("Copy camera", "copy the view in space as a line of the script", () =>
        this.copied(figure.panels.filter((panel) => panel.space).map(cameraLine).join("\n")));
    this.button("Save PNG", "save this view as PNG", () => void pngOf(figure).then((blob) => download(blob, `${name}-view.png`)));
    this.button("Save SVG", "save this view as SVG", () =>
      download(new Blob([svgOf(figure, figure.model.dpi / 72)], { type: "image/svg+xml" }), `${name}-view.svg`));
    this.button("Data", "table of the shown data", () => this.toggleTable(), () => ({ pressed: !this.table.hidden }));
    const help = element("details", { class: "help" }, element("summary", {}, "Keys"), this.helpList());
    this.bar.append(help);
  }

  /** The slider of an animated figure. */
  private addFrames(): void {
    const { frames } = this.figure;
    if (!frames) return;
    const slider = element("input", { type: "range", min: "0", max: String(frames.count - 1), step: "1", "aria-label": "frame" });
    const label = element("output", {}), play = element("button", { type: "button" });
    slider.addEventListener("input", () => {
      if (frames.isPlaying) frames.play();
      void frames.show(Number(slider.value));
    });
    play.addEventListener("click", () => frames.play());
    this.updates.push(() => {
      slider.value = String(frames.at);
      slider.setAttribute("aria-valuetext", frames.label);
      label.textContent = `frame = ${frames.label}`;
      play.textContent = frames.isPlaying ? "Pause" : "Play";
    });
    this.figure.root.append(element("div", { class: "bar frames" }, play, slider, label));
  }

  private helpList(): HTMLElement {
    const list = (rows: [string, string][]) => element("dl", {}, ...rows.flatMap(([key, what]) => [element("dt", {}, key), element("dd", {}, what)]));
    return element("div", { class: "help-body" }, element("p", {}, "In a panel that has the focus:"), list(kKeys), element("p", {}, "With the pointer:"), list(kPointer));
  }

  private copied(text: string): void {
    void copyText(text);
    this.live.textContent = `Copied: ${text}`;
    this.note = text;
    this.update();
  }
  private note = "";

  private leftOut(): Node {
    const { left_out: all } = this.figure.model;
    if (!all) return element("div");
    return element("div", { class: "left-out" },
                   `The data are limited to ${this.figure.model.budget} MB. Reduced: ${all.join("; ")}.`);
  }

  private showPins(): void {
    const { pins } = this.figure;
    this.pins.replaceChildren();
    if (this.note) this.pins.append(element("p", { class: "copied" }, "Copied: ", element("code", {}, this.note)));
    if (pins.length === 0) return;
    const list = element("ol");
    for (const pin of pins) list.append(element("li", {}, textOf(pin)));
    const copy = element("button", { type: "button" }, "Copy as text"), clear = element("button", { type: "button" }, "Remove");
    copy.addEventListener("click", () => this.copied(pins.map(textOf).join("\n")));
    clear.addEventListener("click", () => {
      this.note = "";
      this.figure.unpinAll();
    });
    this.pins.append(element("h2", {}, "Readings"), list, element("div", { class: "bar" }, copy, clear));
  }

  private shownPins = "";
  private update(): void {
    for (const one of this.updates) one();
    this.showTip();
    const key = this.note + this.figure.pins.map(textOf).join("\n");
    if (key === this.shownPins) return;
    this.shownPins = key;
    this.showPins();
  }

  // -- the table

  private toggleTable(): void {
    this.table.hidden = !this.table.hidden;
    if (this.table.hidden) {
      this.table.replaceChildren();
      return;
    }
    const most = 500, names = new Map<string, number>();
    for (const panel of this.figure.panels)
      for (const layer of panel.layers) {
        if (panel.hidden.has(layer.index)) continue;
        const count = panel.space ? panel.space.count(layer.index) : countOf(layer), rows: Reading[] = [];
        for (let k = 0; k < count && rows.length < most; ++k) {
          const reading = panel.space ? panel.space.reading(panel.index, layer.index, k, 0)
            : readingOf(panel.index, panel.model, layer, panel.mappingOf(layer), datumOf(layer, k));
          if (panel.placeOf(reading)) rows.push(reading);
        }
        if (rows.length === 0) continue;
        // Names of regions of the page differ from each other.
        const own = [panel.model.title, layer.model.label ?? layer.model.kind.replace("_", " ")].filter((t) => t).join(", ");
        const used = names.get(own) ?? 0, name = used > 0 ? `${own} (${used + 1})` : own;
        names.set(own, used + 1);
        const columns = rows[0].rows.map((_, c) => columnTexts(rows.map((reading) => reading.quantities[c])));
        const head = rows[0].rows.map(([title]) => element("th", { scope: "col" }, title));
        const body = rows.map((reading, r) => element("tr", {}, ...reading.rows.map(([, value], c) => element("td", {}, columns[c][r] ?? value))));
        const note = rows.length === most ? `, the first ${most} rows in view` : "";
        this.table.append(element("div", { class: "scroll", tabindex: "0", role: "region", "aria-label": `Data of ${name} in ${this.figure.model.name}` },
          element("table", {}, element("caption", {}, name + note), element("thead", {}, element("tr", {}, ...head)), element("tbody", {}, ...body))));
      }
  }
}
