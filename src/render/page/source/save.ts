// The view as a file: SVG with the data as a picture, or PNG.
import type { FigureView } from "./figure";
import { svg } from "./text";

function styles(): string {
  return document.querySelector("style.quill-fonts")?.textContent ?? "";
}

/** The figure as it is seen now; the data in `pixels` for a point. */
export function svgOf(figure: FigureView, pixels: number): string {
  const { model, stage } = figure, out = svg("svg", {
    width: `${(model.width * 25.4) / 72}mm`, height: `${(model.height * 25.4) / 72}mm`, viewBox: `0 0 ${model.width} ${model.height}` });
  const provenance = document.getElementById("provenance")?.textContent;
  if (provenance) {
    const note = svg("metadata", { id: "provenance" });
    note.textContent = provenance;
    out.append(note);
  }
  const style = svg("style");
  style.textContent = styles() + "text{white-space:pre}";
  out.append(style);
  const add = (element: Element | null) => {
    for (const child of element?.childNodes ?? []) out.append(child.cloneNode(true));
  };
  add(stage.querySelector("svg.sheet"));
  for (const panel of figure.panels) {
    add(panel.under);
    const canvas = document.createElement("canvas"), box = panel.canvasBox(pixels);
    panel.drawData(canvas, pixels);
    out.append(svg("image", { x: box.x, y: box.y, width: box.width / pixels, height: box.height / pixels,
                              preserveAspectRatio: "none", href: canvas.toDataURL("image/png") }));
    add(panel.over);
    panel.drawData(panel.canvas, figure.pixels * figure.ratio);
  }
  for (const mark of figure.marks.querySelectorAll(".pin, text")) out.append(mark.cloneNode(true));
  return new XMLSerializer().serializeToString(out);
}

export async function pngOf(figure: FigureView): Promise<Blob> {
  const { model } = figure, pixels = model.dpi / 72;
  const image = new Image();
  image.src = "data:image/svg+xml;charset=utf-8," + encodeURIComponent(svgOf(figure, pixels));
  await image.decode();
  const canvas = document.createElement("canvas");
  canvas.width = Math.round(model.width * pixels);
  canvas.height = Math.round(model.height * pixels);
  canvas.getContext("2d")!.drawImage(image, 0, 0, canvas.width, canvas.height);
  return new Promise((done, failed) => canvas.toBlob((blob) => (blob ? done(blob) : failed(new Error("no picture"))), "image/png"));
}

export function download(content: Blob, name: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(content);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10000);
}

export async function copyText(text: string): Promise<void> {
  try {
    await navigator.clipboard.writeText(text);
  } catch {
    const area = document.createElement("textarea");
    area.value = text;
    document.body.append(area);
    area.select();
    document.execCommand("copy");
    area.remove();
  }
}
