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

async function begin(root: HTMLElement): Promise<FigureView> {
  const model = JSON.parse(root.querySelector('script[type="application/json"]')!.textContent!) as Model;
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
