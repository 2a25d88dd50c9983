// The frames of an animated figure: what each has other than the first one.
import type { LayerModel } from "./types";
import type { FigureView } from "./figure";
import { Palette, layerData, type LayerData } from "./data";

/** Of a sheet of elements the groups that differ, by their places, or all of it. */
type SheetChanges = Record<string, string>;

interface FramesModel {
  rate: number; // frames for each second
  labels: string[];
  frames: { sheets: SheetChanges[]; data: { layers: Record<string, unknown>[][]; orders: number[][]; palettes: Record<string, string> } }[];
}

interface Sheet {
  element: SVGElement;
  inside: string[]; // of its groups, in the first frame
  groups: Element[];
  all: string;
  patched: Set<number>;
  isReplaced: boolean;
}

export class Frames {
  at = 0;
  isPlaying = false;
  private readonly cache = new Map<number, Promise<LayerData[][]>>();
  private readonly sheets: Sheet[];
  private readonly base: LayerModel[][];
  private timer = 0;
  private wanted = 0;

  /** Null for a figure that stands still. To be made before the panels of the figure add to its sheets. */
  static of(root: HTMLElement): FramesModel | null {
    const text = root.querySelector("script.frames")?.textContent;
    return text ? (JSON.parse(text) as FramesModel) : null;
  }

  constructor(private readonly figure: FigureView, private readonly model: FramesModel, elements: SVGElement[],
              private readonly palettes: Map<string, Palette>) {
    this.sheets = elements.map((element) => {
      const groups = Array.from(element.querySelectorAll(":scope > g"));
      return { element, groups, inside: groups.map((g) => g.innerHTML), all: element.innerHTML, patched: new Set<number>(), isReplaced: false };
    });
    this.base = figure.model.panels.map((panel) => panel.layers);
    for (const { data } of model.frames)
      for (const name in data.palettes) palettes.set(name, new Palette(data.palettes[name]));
  }

  get count(): number {
    return this.model.labels.length;
  }
  get label(): string {
    return this.model.labels[this.at];
  }
  labelOf(k: number): string {
    return this.model.labels[k];
  }

  private layersOf(k: number): Promise<LayerData[][]> {
    let found = this.cache.get(k);
    if (!found) {
      found = Promise.all(this.model.frames[k].data.layers.map((layers, p) => Promise.all(layers.map((changes, j) => {
        const layer = { ...(this.base[p]?.[j] ?? {}) } as Record<string, unknown>;
        for (const key in changes) if (changes[key] === null) delete layer[key];
        else layer[key] = changes[key];
        return layerData(layer as unknown as LayerModel, j, this.palettes);
      }))));
      this.cache.set(k, found);
    }
    return found;
  }

  /** Shows a frame; of several that are asked for at once the last one. */
  async show(k: number): Promise<void> {
    this.wanted = k;
    const layers = await this.layersOf(k);
    if (this.wanted !== k) return;
    this.at = k;
    this.model.frames[k].sheets.forEach((changes, j) => this.patch(this.sheets[j], changes));
    layers.forEach((all, p) => this.figure.panels[p].setLayers(all, this.model.frames[k].data.orders[p]));
    this.figure.hover = null;
    this.figure.redraw();
    this.figure.touched();
  }

  private patch(sheet: Sheet, changes: SheetChanges): void {
    if ("all" in changes || sheet.isReplaced) {
      for (const [j, group] of sheet.groups.entries()) {
        const hides = "all" in changes;
        group.setAttribute("display", hides ? "none" : "inline");
        if (!hides) group.innerHTML = changes[j] ?? sheet.inside[j];
      }
      for (const extra of sheet.element.querySelectorAll(":scope > g[data-extra]")) extra.remove();
      if ("all" in changes) {
        const extra = document.createElementNS("http://www.w3.org/2000/svg", "g");
        extra.setAttribute("data-extra", "");
        extra.innerHTML = changes.all;
        sheet.element.append(extra);
      }
      sheet.isReplaced = "all" in changes;
    } else {
      for (const j of new Set([...sheet.patched, ...Object.keys(changes).map(Number)])) sheet.groups[j].innerHTML = changes[j] ?? sheet.inside[j];
    }
    sheet.patched = new Set(Object.keys(changes).filter((key) => key !== "all").map(Number));
    for (const panel of this.figure.panels) panel.forget(sheet.groups);
  }

  play(): void {
    this.isPlaying = !this.isPlaying;
    this.figure.touched();
    clearTimeout(this.timer);
    if (!this.isPlaying) return;
    const start = this.at + 1 < this.count ? this.at : -1;
    let next = start + 1;
    const step = async () => {
      if (!this.isPlaying) return;
      const began = performance.now();
      await this.show(next);
      if (++next >= this.count) {
        this.isPlaying = false;
        this.figure.touched();
        return;
      }
      void this.layersOf(next);
      this.timer = window.setTimeout(() => void step(), Math.max(0, 1000 / this.model.rate - (performance.now() - began)));
    };
    void step();
  }
}
