// Lines of text: those that the program laid out, and numbers laid out the same way.
import type { Characters, Line } from "./types";
import type { Said } from "./ticks";

const kSvg = "http://www.w3.org/2000/svg";

export function svg(name: string, attributes: Record<string, string | number> = {}): SVGElement {
  const out = document.createElementNS(kSvg, name);
  for (const key in attributes) out.setAttribute(key, String(attributes[key]));
  return out;
}

/** At most two decimals, as the program writes them. */
export const short = (v: number) => String(Math.round(v * 100) / 100);

export class Texts {
  constructor(private readonly widths: Characters) {}

  width(text: string, size: number, isMath = false): number {
    let out = 0;
    const table = isMath ? this.widths.math : this.widths.plain;
    for (const c of text) out += table[c] ?? table["0"] ?? 0.6;
    return out * size;
  }

  plain(text: string, size: number): Line {
    return { w: this.width(text, size), a: this.widths.ascent * size, d: this.widths.descent * size,
             runs: [[text, 0, 0, size, 0]] };
  }

  line(said: Said, size: number): Line {
    return typeof said === "string" ? this.plain(said, size) : this.power(said, size);
  }

  /** Lines one behind the other. */
  joined(parts: Line[]): Line {
    const out: Line = { w: 0, a: 0, d: 0, runs: [] };
    for (const part of parts) {
      for (const [text, x, rise, size, look] of part.runs) out.runs.push([text, x + out.w, rise, size, look]);
      for (const [width, points] of part.strokes ?? [])
        (out.strokes ??= []).push([width, points.map(([x, rise]) => [x + out.w, rise])]);
      out.w += part.w;
      out.a = Math.max(out.a, part.a);
      out.d = Math.max(out.d, part.d);
    }
    return out;
  }

  said(parts: Said[], size: number): Line {
    return this.joined(parts.map((part) => this.line(part, size)));
  }

  /** factor × 10^exponent, with the gaps that the program leaves in 2×10³. */
  private power(said: Exclude<Said, string>, size: number): Line {
    const sample = said.times ? this.widths.times : this.widths.power;
    const exponent = String(said.exponent).replace("-", "−");
    const out: Line = { w: 0, a: this.widths.power_ascent * size, d: this.widths.power_descent * size, runs: [] };
    const put = (text: string, rise: number, share: number) => {
      out.runs.push([text, out.w, rise * size, share * size, 4]);
      out.w += this.width(text, share * size, true);
    };
    if (said.sign) {
      out.runs.push([said.sign, 0, 0, size, 0]);
      out.w += this.width(said.sign, size);
    }
    const times = sample.findIndex((run) => run[0] === "×");
    const gap = (k: number) => (k > 0 ? sample[k][1] - sample[k - 1][1] - sample[k - 1][4] : sample[k][1]) * size;
    if (said.factor !== undefined) put(said.factor, 0, 1);
    if (said.factor !== undefined || said.times) {
      out.w += gap(times);
      put("×", sample[times][2], sample[times][3]);
      out.w += gap(times + 1);
    }
    put("10", 0, 1);
    const last = sample[sample.length - 1], before = sample[sample.length - 2];
    out.w += (last[1] - before[1] - before[4]) * size;
    put(exponent, last[2], last[3]);
    return out;
  }
}

/** The line as an element whose baseline starts at (x, y), turned to the left by an angle. */
export function drawnLine(line: Line, x: number, y: number, color: string, angle = 0): SVGElement {
  let place = `translate(${short(x)} ${short(y)})`;
  if (angle !== 0) place += ` rotate(${short((-angle * 180) / Math.PI)})`;
  const group = svg("g", { transform: place, fill: color });
  const text = svg("text");
  for (const [run, at, rise, size, look] of line.runs) {
    const span = svg("tspan", { class: look & 4 ? "m" : "t", x: short(at), y: short(-rise), "font-size": short(size) });
    if (look & 1) span.setAttribute("font-weight", "600");
    if (look & 2) span.setAttribute("font-style", "italic");
    span.textContent = run;
    text.append(span);
  }
  group.append(text);
  for (const [width, points] of line.strokes ?? [])
    group.append(svg("path", { fill: "none", stroke: color, "stroke-width": short(width),
                               d: points.map(([px, rise], k) => `${k ? "L" : "M"}${short(px)} ${short(-rise)}`).join("") }));
  return group;
}
