// At its first sight a page equals the PNG, and so it does when the whole figure is shown again: for every script of
// the gallery.
import assert from "node:assert/strict";
import { cpSync, readFileSync, readdirSync, writeFileSync } from "node:fs";
import { after, describe, test } from "node:test";
import { close, difference, folder, join, openAtSize, parallel, root, runFile } from "./support.mjs";

after(close);

cpSync(join(root, "docs/gallery"), join(folder, "docs/gallery"), { recursive: true });
cpSync(join(root, "examples"), join(folder, "examples"), { recursive: true });
const scripts = readdirSync(join(folder, "docs/gallery")).filter((name) => name.endsWith(".eq"));

describe("gallery", parallel, () => {
  for (const script of scripts) test(`${script} as a page`, async () => {
    const file = join(folder, "docs/gallery", script), out = join(folder, "gallery", script);
    // One pixel of the screen for one of CSS.
    const [first, ...rest] = readFileSync(file, "utf8").split("\n");
    writeFileSync(file, [first, 'theme("quill", dpi: 96, formats: ["png", "html"])', ...rest].join("\n"));
    await runFile(file, out);
    const pages = readdirSync(out).filter((name) => name.endsWith(".html"));
    assert.ok(pages.length > 0);
    for (const name of pages) {
      const page = await openAtSize(join(out, name)), png = join(out, name.replace(/html$/, "png"));
      const found = await difference(page, png);
      // The smoothing of edges differs a little, and patterns are all edges.
      const most = /print/.test(name) ? 3 : 2;
      assert.ok(found.mean < most && found.worst < 40, `${name}: ${JSON.stringify(found)}`);
      // Everything drawn again for other limits, and back.
      await page.evaluate(async () => {
        const f = quillFigures[0];
        for (const panel of f.panels) f.zoom(panel, 0.5, panel.box[0] + 0.4 * panel.box[2], panel.box[1] + 0.4 * panel.box[3]);
        f.drawNow();
        f.whole();
        f.drawNow();
        await new Promise(requestAnimationFrame);
      });
      const again = await difference(page, png);
      assert.ok(again.mean < most && again.worst < 40, `${name} again: ${JSON.stringify(again)}`);
      assert.deepEqual(page.wrong, [], name);
      await page.context().close();
    }
  });
});

test("axes that the page draws itself are those of the program", async () => {
  // Limits a hair away from the drawn ones make the page lay out everything by itself.
  for (const script of scripts.filter((name) => /^(line|axes|scales|time|panels|bars|scatter|categories|labels|residuals)\.eq$/.test(name))) {
    const out = join(folder, "gallery", script);
    for (const name of readdirSync(out).filter((one) => one.endsWith(".html"))) {
      const page = await openAtSize(join(out, name)), png = join(out, name.replace(/html$/, "png"));
      await page.evaluate(async () => {
        const f = quillFigures[0];
        for (const panel of f.panels)
          if (panel.isFlat) for (const which of ["x", "y"]) panel.limits[which][1] += 1e-9 * (panel.limits[which][1] - panel.limits[which][0]);
        f.redraw();
        f.drawNow();
        await new Promise(requestAnimationFrame);
      });
      const found = await difference(page, png);
      assert.ok(found.mean < 2.5 && found.worst < 60, `${name}: ${JSON.stringify(found)}`);
      await page.context().close();
    }
  }
});

test("a surface that is turned on the page is the surface that a script with that camera draws", async () => {
  const cameras = [[35, 25], [-70, 12], [130, 50], [0, 90], [200, -20]], out = join(folder, "turned");
  const file = join(folder, "turned.eq");
  writeFileSync(file, 'theme("quill", dpi: 96, formats: ["png", "html"])\n' + cameras.map(([turn, tilt], k) => `figure("view${k}") {
    x = -3..3 count 41
    surface(x, x, exp(-across(x)^2 / 3) * cos(down(x)))
    line(2 * cos(0..12), 2 * sin(0..12), -0.8 + 0.1 * (0..12), color: "navy")
    camera(turn: ${turn}, tilt: ${tilt})
    x_axis("east (m)")
    y_axis("north (m)")
    z_axis("height (cm)")
}`).join("\n"));
  await runFile(file, out);
  const page = await openAtSize(join(out, "view0.html"));
  for (const [k, [turn, tilt]] of cameras.entries()) {
    await page.evaluate(async ([turn, tilt]) => {
      const f = quillFigures[0], panel = f.panels[0];
      Object.assign(panel.camera, { turn, tilt });
      f.redraw();
      f.drawNow();
      await new Promise(requestAnimationFrame);
    }, [turn, tilt]);
    const found = await difference(page, join(out, `view${k}.png`));
    assert.ok(found.mean < 2 && found.worst < 40, `${turn}, ${tilt}: ${JSON.stringify(found)}`);
  }
  assert.deepEqual(page.wrong, []);
  await page.context().close();
});
