// Makes the figures of a page interactive.
import { FigureView } from "./figure";
import { Gestures } from "./gestures";
import { Tools } from "./tools";
import type { Model } from "./types";

declare global {
  interface Window {
    quillFigures?: FigureView[]; // for tests, and for those who look closer
  }
}

const kNarrow = 520; // pixels

/** The layout for narrow screens in the place of the figure's own. */
function makeNarrow(root: HTMLElement, model: Model): void {
  const sheets = root.querySelector<HTMLTemplateElement>("template.narrow"), text = root.querySelector("script.narrow")?.textContent;
  if (!sheets || !text) return;
  root.querySelector(".stage")!.replaceChildren(sheets.content);
  const layout = JSON.parse(text) as Pick<Model, "width" | "height" | "panels">;
  model.width = layout.width;
  model.height = layout.height;
  layout.panels.forEach((panel, k) => {
    const own = model.panels[k];
    for (const axis of ["x", "y"] as const) panel[axis].fixed = own[axis].fixed;
    Object.assign(own, panel);
  });
  root.dataset.narrow = "";
}

async function begin(root: HTMLElement): Promise<FigureView> {
  const model = JSON.parse(root.querySelector('script[type="application/json"]')!.textContent!) as Model;
  if (root.clientWidth < kNarrow) makeNarrow(root, model);
  // What is measured stands in its own fonts.
  await document.fonts.ready;
  const figure = await FigureView.make(root, model);
  new Tools(figure, new Gestures(figure));
  new ResizeObserver(() => figure.fit()).observe(root);
  window.addEventListener("resize", () => figure.fit());
  figure.drawNow();
  root.classList.add("ready");
  return figure;
}

async function all(): Promise<void> {
  const figures: FigureView[] = [];
  for (const root of document.querySelectorAll<HTMLElement>(".quill-figure"))
    try {
      figures.push(await begin(root));
    } catch (error) {
      // A browser without what the page needs says so, instead of axes without data.
      const told = document.createElement("p");
      told.setAttribute("role", "alert");
      told.textContent = `The data of this figure could not be drawn in this browser: ${error instanceof Error ? error.message : String(error)}`;
      root.append(told);
    }
  window.quillFigures = figures;
  document.documentElement.classList.add("quill-ready");
}

void all();
