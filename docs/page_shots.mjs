// Draws the pictures of interactive pages for the documents, as the pages are after some gestures.
import { execFileSync } from "node:child_process";
import { writeFileSync } from "node:fs";
import { close, folder, join, open, program, root } from "../tests/page/support.mjs";

const settings = join(folder, "settings"), out = join(folder, "shots");
writeFileSync(settings, "formats = html\n");
for (const script of ["examples/lake/volume.eq", "examples/wakes.eq"])
  execFileSync(program, ["run", join(root, script), "--out", out, "--quiet", "--config", settings, "--also-read", join(root, "examples")],
               { stdio: "pipe", cwd: folder });

/** A place of the window, by shares of a panel. */
const spot = (page, panel, u, v) => page.evaluate(([k, u, v]) => {
  const f = quillFigures[0], [x, y, w, h] = f.panels[k].box, stage = f.stage.getBoundingClientRect();
  return [stage.left + (x + u * w) * f.pixels, stage.top + (y + (1 - v) * h) * f.pixels];
}, [panel, u, v]);

async function drag(page, from, to) {
  await page.mouse.move(...from);
  await page.mouse.down();
  await page.mouse.move((from[0] + to[0]) / 2, (from[1] + to[1]) / 2);
  await page.mouse.move(...to);
  await page.mouse.up();
  await page.waitForTimeout(150);
}

// The thermocline, with the thermistor below its steepest place pinned.
let page = await open(join(out, "volume.html"), { width: 1000, height: 900 });
await drag(page, await spot(page, 0, 0.16, 0.2), await spot(page, 0, 0.4, 0.92));
const nearest = await page.evaluate(() => {
  const f = quillFigures[0], p = f.panels[0], map = p.mapping, points = p.layers[0], stage = f.stage.getBoundingClientRect();
  const inside = [...points.x.keys()].filter((k) => points.x[k] > p.limits.x[0] && points.x[k] < p.limits.x[1] && points.y[k] > p.limits.y[0] && points.y[k] < p.limits.y[1]);
  return inside.map((k) => [stage.left + map.x(points.x[k]) * f.pixels, stage.top + map.y(points.y[k]) * f.pixels]);
});
await page.mouse.click(...nearest[1]);
await page.mouse.click(...nearest[nearest.length - 1]);
await page.mouse.move(...nearest[0]);
await page.waitForTimeout(200);
await page.screenshot({ path: join(root, "docs/screenshots/page.png") });
await page.context().close();

page = await open(join(out, "wakes-surface.html"), { width: 1000, height: 640 });
await drag(page, await spot(page, 0, 0.4, 0.5), await spot(page, 0, 0.75, 0.62));
await drag(page, await spot(page, 1, 0.5, 0.5), await spot(page, 1, 0.3, 0.4));
await page.waitForTimeout(600);
const camera = page.getByRole("button", { name: "Copy camera" });
await camera.click();
await page.mouse.move(...(await spot(page, 1, 0.52, 0.62)));
await page.waitForTimeout(300);
await page.screenshot({ path: join(root, "docs/screenshots/page-space.png") });
await close();
