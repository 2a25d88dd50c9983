// Each gesture by real events of a browser, on each kind of layer: data and texts are what is looked at.
import assert from "node:assert/strict";
import { after, test } from "node:test";
import { close, existsSync, join, open, run } from "./support.mjs";

after(close);

// Every kind of layer alone in a figure: what is drawn, a place of a datum, and what is read there.
const kLayers = [
  { name: "line", draw: "line([0, 1, 2, 3], [1, 4, 2, 5])", at: [2, 2], rows: { x: "2", y: "2" } },
  { name: "scatter", draw: "scatter([0, 1, 2, 3], [1, 4, 2, 5])", at: [1, 4], rows: { x: "1", y: "4" } },
  { name: "by-value", draw: "scatter([0, 1, 2, 3], [1, 4, 2, 5], values: [10, 20, 30, 40])", at: [2, 2], rows: { x: "2", y: "2", value: "30" } },
  { name: "stems", draw: "stems([0, 1, 2, 3], [1, 4, 2, 5])", at: [3, 5], rows: { x: "3", y: "5" } },
  { name: "steps", draw: "steps([0, 1, 2, 3], [1, 4, 2, 5], hold: \"after\")", at: [1, 4], rows: { x: "1", y: "4" } },
  { name: "bars", draw: "bars([1, 2, 3], [4, 6, 5])", at: [2, 3], rows: { x: "2", y: "6" } },
  { name: "lying", draw: "bars([1, 2, 3], [4, 6, 5], lying: true)", at: [3, 2], rows: { y: "2", x: "6" } },
  { name: "histogram", draw: "histogram([0.5, 1.5, 1.6, 1.7, 2.5], bins: [0, 1, 2, 3])", at: [1.5, 1.5], rows: { bin: "1 … 2", count: "3" } },
  { name: "band", draw: "band([0, 1, 2, 3], [1, 2, 1, 2], [3, 4, 3, 5])", at: [1, 3.9], rows: { x: "1", y: "2 … 4" } },
  { name: "area", draw: "area([0, 1, 2, 3], [1, 2, 1, 2])", at: [2, 0.5], rows: { x: "2", y: "0 … 1" } },
  { name: "error-bars", draw: "error_bars([0, 1, 2], [1, 2, 3], 0.5)", at: [1, 2], rows: { x: "1", y: "2", range: "1.5 … 2.5" } },
  { name: "heatmap", draw: "heatmap(0..3, 0..2, [1, 2, 3, 4 | 5, 6, 7, 8 | 9, 10, 11, 12])", at: [2, 1], rows: { x: "2", y: "1", value: "7" } },
  { name: "image", draw: "image_of([1, 2, 3 | 4, 5, 6])", at: [3, 2], rows: { value: "6" } },
  { name: "contours", draw: "contours(0..4, 0..3, down([0, 1, 4, 9]) + across([0, 1, 2, 3, 4]))", at: [2, 1], rows: { x: "2", y: "1", value: "3" } },
  { name: "filled", draw: "filled_contours(0..4, 0..3, down([0, 1, 4, 9]) + across([0, 1, 2, 3, 4]))", at: [3, 2], rows: { x: "3", y: "2", value: "7" } },
  { name: "arrows", draw: "arrows([0, 1, 2], [0, 1, 2], [1, 2, 3], [2, 1, -1])", at: [1, 1], rows: { x: "1", y: "1", along: "(2, 1)" } },
];
const kSpatial = [
  { name: "surface", draw: "surface(0..4, 0..4, down([0, 1, 2, 1, 0]) * across([0, 1, 2, 1, 0]))" },
  { name: "wireframe", draw: "wireframe(0..4, 0..4, down([0, 1, 2, 1, 0]) * across([0, 1, 2, 1, 0]))" },
  { name: "curve", draw: "line([0, 1, 2, 3], [0, 2, 1, 3], [1, 2, 3, 4], marker: \"disc\")" },
  { name: "cloud", draw: "scatter([0, 1, 2, 3], [0, 2, 1, 3], [1, 2, 3, 4])" },
];

const out = run('theme("quill", formats: ["html"])\n' +
  [...kLayers, ...kSpatial].map((l) => `figure("${l.name}") {\n    ${l.draw}\n}`).join("\n") + `
t0 = timestamp("2026-06-04T06:00")
figure("many", rows: 2, columns: 2, link_x: "columns", link_y: "rows") {
    panel(1, 1) { line(0..10, (0..10)^2, label: "square"); line(0..10, 5 * (0..10), label: "straight"); legend("top left") }
    panel(1, 2) { line(0..10, 20 * (0..10)) }
    panel(2, 1) { line(0..10, sin(0..10), label: "wave"); line(0..10, cos(0..10), label: "other"); legend("ends") }
    panel(2, 2) { scatter(0..10, cos(0..10)); y_axis(limits: (-3, 3)) }
}
figure("scales", columns: 3) {
    panel(1, 1) { line(1..1000, (1..1000)^2); x_axis("n", scale: "log"); y_axis(scale: "log") }
    panel(1, 2) { line(-100..100, (-100..100)^3); y_axis(scale: "signed_log") }
    panel(1, 3) { line(t0 + (0..48) * 3600, sin(0..48)); note("top", at: (t0 + 7200, 0.9)); guide(y: 0) }
}
`);

/** The view as text. */
const kSeen = () => JSON.stringify(quillFigures[0].panels.map((p) => [p.limits, p.camera]));

/** What the tests do with a panel of a page. */
class Hand {
  constructor(page, panel = 0) {
    this.page = page;
    this.panel = panel;
  }
  get limits() {
    return this.page.evaluate((k) => quillFigures[0].panels[k].limits, this.panel);
  }
  get camera() {
    return this.page.evaluate((k) => quillFigures[0].panels[k].camera, this.panel);
  }
  /** A place of the window, by shares of the panel's part of the page. */
  spot(u, v) {
    return this.page.evaluate(([k, u, v]) => {
      const f = quillFigures[0], [x, y, w, h] = f.panels[k].box, stage = f.stage.getBoundingClientRect();
      return [stage.left + (x + u * w) * f.pixels, stage.top + (y + (1 - v) * h) * f.pixels];
    }, [this.panel, u, v]);
  }
  /** By the data's coordinates. */
  datum(x, y) {
    return this.page.evaluate(([k, x, y]) => {
      const f = quillFigures[0], map = f.panels[k].mapping, stage = f.stage.getBoundingClientRect();
      return [stage.left + map.x(x) * f.pixels, stage.top + map.y(y) * f.pixels];
    }, [this.panel, x, y]);
  }
  async drag(from, to, { button = "left", key } = {}) {
    if (key) await this.page.keyboard.down(key);
    await this.page.mouse.move(...from);
    await this.page.mouse.down({ button });
    await this.page.mouse.move((from[0] + to[0]) / 2, (from[1] + to[1]) / 2);
    await this.page.mouse.move(...to);
    await this.page.mouse.up({ button });
    if (key) await this.page.keyboard.up(key);
  }
  async wheel(at, by) {
    await this.page.mouse.move(...at);
    const seen = await this.page.evaluate(kSeen);
    await this.page.mouse.wheel(0, by);
    await this.page.waitForFunction((before) => JSON.stringify(quillFigures[0].panels.map((p) => [p.limits, p.camera])) !== before, seen);
    await this.settled();
  }
  /** When the view has become one to come back to. */
  settled() {
    return this.page.waitForFunction(() => !quillFigures[0].isSettling);
  }
  /** When everything that was asked for is drawn: a busy machine takes its time. */
  drawn() {
    return this.page.waitForFunction(() => quillFigures[0].frame === 0);
  }
  press(name) {
    return this.page.getByRole("button", { name, exact: true }).click();
  }
  focus() {
    return this.page.focus(`.pane[data-panel="${this.panel}"]`);
  }
  async tip() {
    await this.drawn();
    return this.page.evaluate(() => {
      const tip = document.querySelector(".tip");
      return tip.hidden ? null : Object.fromEntries([...tip.querySelectorAll(".row")].map((row) => [...row.children].map((c) => c.textContent)));
    });
  }
  async ticks(which) {
    await this.drawn();
    return this.page.evaluate(([k, which]) => [...quillFigures[0].panels[k].over.querySelectorAll(`[data-tick="${which}"]`)].map((t) => t.textContent), [this.panel, which]);
  }
}

const near = (a, b, unit = 1e-6) => Math.abs(a - b) <= unit * Math.max(1, Math.abs(a), Math.abs(b));
const page = (name, options) => open(join(out, `${name}.html`), options);
const width = ([low, high]) => high - low;

for (const layer of kLayers)
  test(`${layer.name}: read, pinned, zoomed by box and wheel, shifted, undone`, async () => {
    const p = await page(layer.name), hand = new Hand(p), start = await hand.limits;
    await p.mouse.move(...(await hand.datum(...layer.at)));
    const tip = await hand.tip();
    assert.ok(tip, "nothing is read");
    for (const [name, text] of Object.entries(layer.rows)) assert.equal(tip[name], text, JSON.stringify(tip));
    await p.mouse.down();
    await p.mouse.up();
    assert.match(await p.textContent(".pins"), /1?.*Copy as text/s);
    // A box becomes the limits.
    await hand.drag(await hand.spot(0.25, 0.3), await hand.spot(0.75, 0.8));
    const boxed = await hand.limits;
    for (const [which, from, to] of [["x", 0.25, 0.75], ["y", 0.3, 0.8]]) {
      const [low, high] = start[which], isReversed = await p.evaluate((w) => !!quillFigures[0].panels[0].model[w].reverse, which);
      assert.ok(near(boxed[which][0], low + (isReversed ? 1 - to : from) * (high - low), 0.01), which);
      assert.ok(near(width(boxed[which]), (to - from) * width([low, high]), 0.02), which);
    }
    assert.ok((await hand.ticks("x")).length >= 1);
    // The wheel keeps what lies under it in its place.
    const spot = await hand.spot(0.5, 0.5), before = await hand.limits;
    await hand.wheel(spot, -300);
    const closer = await hand.limits;
    assert.ok(width(closer.x) < width(before.x) && width(closer.y) < width(before.y));
    assert.ok(near((closer.x[0] + closer.x[1]) / 2, (before.x[0] + before.x[1]) / 2, 0.01));
    await hand.settled();
    // Shift and drag moves it, by as much as the pointer moves.
    await hand.drag(await hand.spot(0.5, 0.5), await hand.spot(0.7, 0.5), { key: "Shift" });
    const shifted = await hand.limits;
    assert.ok(near(width(shifted.x), width(closer.x)));
    assert.ok(near(Math.abs(shifted.x[0] - closer.x[0]), 0.2 * width(closer.x), 0.02));
    await hand.press("Undo zoom");
    assert.deepEqual(await hand.limits, closer);
    await hand.press("Undo zoom");
    assert.deepEqual(await hand.limits, boxed);
    await hand.press("Redo zoom");
    assert.deepEqual(await hand.limits, closer);
    await hand.press("Whole figure");
    assert.deepEqual(await hand.limits, start);
    assert.deepEqual(p.wrong, []);
    await p.context().close();
  });

for (const layer of kSpatial)
  test(`${layer.name} in space: turned, shifted, zoomed, read, seen from standard sides`, async () => {
    const p = await page(layer.name), hand = new Hand(p), start = await hand.camera;
    await hand.drag(await hand.spot(0.5, 0.5), await hand.spot(0.7, 0.4));
    const turned = await hand.camera;
    assert.ok(turned.turn > start.turn && turned.tilt > start.tilt);
    assert.equal(turned.zoom, 1);
    await hand.drag(await hand.spot(0.5, 0.5), await hand.spot(0.6, 0.5), { key: "Shift" });
    assert.ok((await hand.camera).dx > turned.dx && (await hand.camera).turn === turned.turn);
    await hand.drag(await hand.spot(0.5, 0.5), await hand.spot(0.5, 0.6), { button: "right" });
    assert.ok((await hand.camera).dy < turned.dy);
    await hand.wheel(await hand.spot(0.5, 0.5), -300);
    assert.ok((await hand.camera).zoom > 1);
    await hand.focus();
    await p.keyboard.press("4");
    assert.deepEqual([(await hand.camera).turn, (await hand.camera).tilt], [0, 90]);
    await p.keyboard.press("3");
    assert.deepEqual([(await hand.camera).turn, (await hand.camera).tilt], [90, 0]);
    await p.keyboard.press("1");
    assert.deepEqual(await hand.camera, start);
    await p.keyboard.press("ArrowRight");
    assert.equal((await hand.camera).turn, start.turn + 5);
    await hand.press("Copy camera");
    assert.equal(await p.textContent(".copied code"), `camera(turn: ${start.turn + 5}, tilt: ${start.tilt})`);
    // Where its middle datum stands, that is read.
    const place = layer.name === "curve" || layer.name === "cloud" ? 2 : 12;
    const spot = await p.evaluate((place) => {
      const f = quillFigures[0], panel = f.panels[0], [x, y] = panel.space.placeOf(panel.camera, 0, place), stage = f.stage.getBoundingClientRect();
      return [stage.left + x * f.pixels, stage.top + y * f.pixels];
    }, place);
    await hand.settled();
    await hand.drawn();
    await p.mouse.move(...spot);
    const tip = await hand.tip();
    assert.deepEqual(tip, place === 2 ? { x: "2", y: "1", z: "3" } : { x: "2", y: "2", z: "4" });
    assert.deepEqual(p.wrong, []);
    await p.context().close();
  });

test("a cell and a bar are read when a part of them fills the view", async () => {
  for (const [name, at, text] of [["heatmap", [2.3, 1.3], { value: "7" }], ["bars", [2.2, 1], { x: "2", y: "6" }]]) {
    const p = await page(name), hand = new Hand(p);
    await p.evaluate(([x, y]) => {
      const f = quillFigures[0];
      f.setLimits(f.panels[0], "x", x - 0.1, x + 0.1);
      f.setLimits(f.panels[0], "y", y - 0.1, y + 0.1);
    }, at);
    await p.mouse.move(...(await hand.datum(...at)));
    const tip = await hand.tip();
    for (const [key, value] of Object.entries(text)) assert.equal(tip?.[key], value, name);
    await p.context().close();
  }
});

test("the wheel over an axis goes along it alone", async () => {
  const p = await page("line"), hand = new Hand(p), start = await hand.limits, [x, y] = await hand.spot(0.5, 0);
  await hand.wheel([x, y + 12], -300);
  const after = await hand.limits;
  assert.ok(width(after.x) < width(start.x));
  assert.deepEqual(after.y, start.y);
  await p.context().close();
});

test("a thin box goes along one axis, a click is no box", async () => {
  const p = await page("line"), hand = new Hand(p), start = await hand.limits, from = await hand.spot(0.2, 0.5), to = await hand.spot(0.6, 0.5);
  await hand.drag(from, [to[0], to[1] + 3]);
  const after = await hand.limits;
  assert.ok(near(width(after.x), 0.4 * width(start.x), 0.02));
  assert.deepEqual(after.y, start.y);
  await p.mouse.click(...(await hand.spot(0.02, 0.98)));
  assert.deepEqual(await hand.limits, after);
  await p.mouse.dblclick(...(await hand.spot(0.02, 0.98)));
  assert.deepEqual(await hand.limits, start);
  await p.context().close();
});

test("linked axes go together", async () => {
  const p = await page("many"), hand = new Hand(p, 0), other = new Hand(p, 1), below = new Hand(p, 2), last = new Hand(p, 3);
  const start = [await other.limits, await below.limits, await last.limits];
  await hand.drag(await hand.spot(0.2, 0.2), await hand.spot(0.8, 0.6));
  const now = await hand.limits;
  assert.deepEqual((await below.limits).x, now.x);
  assert.deepEqual((await other.limits).y, now.y);
  assert.deepEqual((await other.limits).x, start[0].x);
  assert.deepEqual((await below.limits).y, start[1].y);
  assert.deepEqual(await last.limits, start[2]);
  await p.context().close();
});

test("the legend hides, shows and shows alone; limits that nobody asked for follow", async () => {
  const p = await page("many"), hand = new Hand(p, 0), start = await hand.limits;
  const hidden = (k) => p.evaluate((k) => [...quillFigures[0].panels[k].hidden], k);
  const square = p.getByRole("button", { name: /^square/ }), straight = p.getByRole("button", { name: /^straight/ });
  await square.click();
  assert.deepEqual(await hidden(0), [0]);
  assert.equal(await square.getAttribute("aria-pressed"), "false");
  // The other panel of the row reaches to 200, so that the limits stay; the straight line alone in its own figure would not.
  assert.deepEqual((await hand.limits).y, start.y);
  await square.click();
  assert.deepEqual(await hidden(0), []);
  await straight.dblclick();
  assert.deepEqual(await hidden(0), [0]);
  await straight.dblclick();
  assert.deepEqual(await hidden(0), []);
  // Labels at the ends of lines are a legend too.
  await p.getByRole("button", { name: /^wave/ }).click();
  assert.deepEqual(await hidden(2), [0]);
  assert.deepEqual(p.wrong, []);
  await p.context().close();
});

test("limits of a lone panel follow what is shown, and come back", async () => {
  const folder = run('figure("two", formats: ["html"]) {\n line(0..10, 100 * (0..10), label: "steep")\n line(0..5, 0..5, label: "flat")\n legend("top left")\n}', "two");
  const p = await open(join(folder, "two.html")), hand = new Hand(p), start = await hand.limits;
  await p.getByRole("button", { name: /^steep/ }).click();
  const now = await hand.limits;
  assert.ok(now.y[1] < 6 && now.x[1] < 6);
  await p.getByRole("button", { name: /^steep/ }).click();
  assert.deepEqual(await hand.limits, start);
  await p.context().close();
});

test("ticks are new ones of the same kind: powers, signs, times with their day", async () => {
  const p = await page("scales"), log = new Hand(p, 0), signed = new Hand(p, 1), time = new Hand(p, 2);
  await log.drag(await log.spot(0.1, 0.1), await log.spot(0.4, 0.5));
  assert.ok((await log.ticks("x")).every((t) => Number(t) >= 1 && Number(t) <= 1000), String(await log.ticks("x")));
  const limits = await log.limits;
  assert.ok(near(Math.log(limits.x[1] / limits.x[0]), 0.3 * Math.log(1000 ** 1.06), 0.03));
  await signed.wheel(await signed.spot(0.5, 0.5), -500);
  assert.ok((await signed.ticks("y")).includes("0"));
  await time.drag(await time.spot(0.02, 0.02), await time.spot(0.1, 0.99));
  const labels = await time.ticks("x");
  assert.ok(labels.length >= 2 && labels.every((t) => /^\d\d:\d\d$/.test(t)), String(labels));
  assert.match(await p.evaluate(() => quillFigures[0].panels[2].over.textContent), /4 Jun 2026/);
  const tip = await p.evaluate(() => quillFigures[0].panels[2].readingAt(...(() => { const m = quillFigures[0].panels[2].mapping, l = quillFigures[0].panels[2].layers[0]; return [m.x(l.x[2]), m.y(l.y[2])]; })(), 20, 1).rows[0]);
  assert.deepEqual(tip, ["x", "2026-06-04 08:00:00"]);
  assert.deepEqual(p.wrong, []);
  await p.context().close();
});

test("notes go with their points and leave with them", async () => {
  const p = await page("scales"), time = new Hand(p, 2);
  const note = () => p.evaluate(() => { const g = quillFigures[0].panels[2].over.querySelector('[data-part="note"]'); return [g.getAttribute("display"), g.getBoundingClientRect().left]; });
  await time.drawn();
  const [, left] = await note();
  await time.drag(await time.spot(0.02, 0.1), await time.spot(0.3, 0.98));
  await time.drawn();
  assert.ok((await note())[1] > left);
  await time.drag(await time.spot(0.6, 0.1), await time.spot(0.9, 0.9));
  await time.drawn();
  assert.equal((await note())[0], "none");
  await p.context().close();
});

test("everything by keys", async () => {
  const p = await page("line"), hand = new Hand(p), start = await hand.limits;
  await hand.focus();
  await p.keyboard.press("+");
  assert.ok(width((await hand.limits).x) < width(start.x));
  await hand.settled();
  await p.keyboard.press("ArrowRight");
  await hand.settled();
  const moved = await hand.limits;
  await p.keyboard.press("u");
  assert.notDeepEqual(await hand.limits, moved);
  await p.keyboard.press("r");
  assert.deepEqual(await hand.limits, moved);
  await p.keyboard.press("0");
  assert.deepEqual(await hand.limits, start);
  await p.keyboard.press("n");
  await p.keyboard.press("n");
  assert.deepEqual(await hand.tip(), { x: "1", y: "4" });
  assert.equal(await p.textContent(".live"), "x 1, y 4");
  await p.keyboard.press("p");
  assert.deepEqual(await hand.tip(), { x: "0", y: "1" });
  await p.keyboard.press("Enter");
  assert.match(await p.textContent(".pins li"), /x 0, y 1/);
  await p.keyboard.press("Escape");
  assert.equal(await hand.tip(), null);
  await p.keyboard.press("c");
  assert.equal(await p.getByRole("button", { name: "Crosshair" }).getAttribute("aria-pressed"), "true");
  await p.keyboard.press("Control+z");
  assert.deepEqual(p.wrong, []);
  await p.context().close();
});

test("two fingers shift and zoom, one reads", async () => {
  const p = await page("line", { width: 390, height: 760, touch: true }), hand = new Hand(p), start = await hand.limits;
  const touch = await p.context().newCDPSession(p), a = await hand.spot(0.4, 0.5), b = await hand.spot(0.6, 0.5);
  const send = (type, points) => touch.send("Input.dispatchTouchEvent", { type, touchPoints: points.map(([x, y], id) => ({ x, y, id })) });
  await send("touchStart", [a, b]);
  for (let k = 1; k <= 5; ++k) await send("touchMove", [[a[0] - 6 * k, a[1]], [b[0] + 6 * k, b[1]]]);
  await send("touchEnd", []);
  const closer = await hand.limits;
  assert.ok(width(closer.x) < 0.8 * width(start.x), JSON.stringify(closer));
  await hand.press("Whole figure");
  const at = await hand.datum(1, 4);
  await send("touchStart", [[at[0] - 30, at[1]]]);
  await send("touchMove", [at]);
  await send("touchEnd", []);
  assert.deepEqual(await hand.tip(), { x: "1", y: "4" });
  assert.deepEqual(await hand.limits, start);
  assert.ok(await p.evaluate(() => document.documentElement.scrollWidth <= window.innerWidth), "wider than the phone");
  assert.deepEqual(p.wrong, []);
  await p.context().close();
});

test("readings are copied as text", async () => {
  const p = await page("bars"), hand = new Hand(p);
  await p.context().grantPermissions(["clipboard-read", "clipboard-write"]);
  for (const at of [[1, 2], [3, 2]]) await p.mouse.click(...(await hand.datum(...at)));
  await hand.press("Copy as text");
  assert.equal(await p.textContent(".copied code"), "x 1, y 4\nx 3, y 5");
  // A second click takes a reading off.
  await p.mouse.click(...(await hand.datum(1, 2)));
  assert.equal(await p.locator(".pins li").count(), 1);
  await p.context().close();
});

test("the view is saved as PNG and SVG", async () => {
  const p = await page("many"), hand = new Hand(p);
  await hand.drag(await hand.spot(0.2, 0.2), await hand.spot(0.8, 0.6));
  for (const [name, start] of [["PNG", "89504e47"], ["SVG", "3c737667"]]) {
    const [download] = await Promise.all([p.waitForEvent("download"), hand.press(`Save ${name}`)]);
    const file = join(out, download.suggestedFilename());
    await download.saveAs(file);
    assert.ok(existsSync(file));
    const bytes = (await import("node:fs")).readFileSync(file);
    assert.equal(bytes.subarray(0, 4).toString("hex"), start);
    assert.ok(bytes.length > 10000);
    if (name === "PNG") assert.deepEqual([bytes.readUInt32BE(16), bytes.readUInt32BE(20)], [1260, 787]);
    else assert.match(bytes.toString(), /<metadata id="provenance">\{/);
  }
  assert.deepEqual(p.wrong, []);
  await p.context().close();
});

test("the data of what is shown are a table on request", async () => {
  const p = await page("bars"), hand = new Hand(p);
  await hand.press("Data");
  assert.deepEqual(await p.locator(".data tbody tr").allTextContents(), ["14", "26", "35"]);
  await hand.press("Data");
  assert.equal(await p.locator(".data tbody tr").count(), 0);
  await p.context().close();
});

const readAt = async (s, x, y) => {
  await s.page.mouse.move(...(await s.datum(x, y)));
  return s.tip();
};

test("readings are made from numbers, with units: at ticks, in space, of bars and of steps", async () => {
  const out = run(`figure("read", rows: 2, columns: 2, formats: "html") {
    panel(1, 1) {
        line([0.5, 1, 2], [1, 2, 3])
        x_axis("share (m)", ticks: [0.5, 1], tick_labels: ["$\\\\frac{1}{2}$", "$10^{0}$"])
    }
    panel(1, 2) {
        bars(["inflow", "harbour"], [3, 5], label: "june")
        bars(["harbour", "basin"], [4, -2], label: "july", stacked: true)
        y_axis("catch (kg)")
    }
    panel(2, 1) {
        steps([1, 2, 3, 4], [2, 1, 3, 2])
        x_axis("time (h)")
    }
    panel(2, 2) {
        line([1200300001, 1200300002], [1e6, 2e6], [1e-5, 2e-5])
        x_axis("time (s)")
        y_axis("load (N)")
        z_axis("width (m)")
    }
}`, "read");
  const page = await open(join(out, "read.html"));
  const at = (panel, layer, place) => page.evaluate(([p, l, k]) => {
    const panel = quillFigures[0].panels[p];
    return Object.fromEntries(panel.space.reading(p, l, k, 0).rows);
  }, [panel, layer, place]);
  const s = new Hand(page, 0);
  assert.deepEqual(await readAt(s, 0.5, 1), { share: "0.5 m", y: "1" });
  assert.deepEqual(await readAt(s, 1, 2), { share: "1 m", y: "2" });
  s.panel = 1;
  assert.deepEqual(await readAt(s, 2.2, 2), { x: "harbour", catch: "4 kg" });
  assert.deepEqual(await readAt(s, 3.2, -1), { x: "basin", catch: "−2 kg" });
  assert.equal(await page.locator(".tip .head").textContent(), "july");
  s.panel = 2;
  // Of steps the data, wherever on the stairs the pointer is.
  for (const x of [1.6, 1.9, 2.1, 2.4]) assert.deepEqual(await readAt(s, x, 1), { time: "2 h", y: "1" });
  assert.deepEqual(await at(3, 0, 0), { time: "1200300001 s", load: "1000000 N", width: "1×10⁻⁵ m" });
  assert.deepEqual(page.wrong, []);
  await page.context().close();
});

test("readings on logarithmic axes gain digits when one looks closer", async () => {
  const out = run(`figure("digits", columns: 2, formats: "html") {
    panel(1, 1) {
        scatter([pi, 4], [1000 * pi, 5000])
        x_axis("a", scale: "log")
        y_axis("b", scale: "signed_log")
    }
    panel(1, 2) { scatter([1, 2], [1, 2]) }
}`, "digits");
  const page = await open(join(out, "digits.html")), s = new Hand(page, 0);
  const before = await readAt(s, Math.PI, 1000 * Math.PI);
  for (const which of ["x", "y"])
    await page.evaluate((w) => {
      const f = quillFigures[0], v = w === "x" ? Math.PI : 1000 * Math.PI;
      f.setLimits(f.panels[0], w, v * (1 - 1e-7), v * (1 + 1e-7));
      f.drawNow();
    }, which);
  const after = await readAt(s, Math.PI, 1000 * Math.PI);
  for (const name of ["a", "b"]) assert.ok(after[name].length >= before[name].length + 4, `${before[name]} ${after[name]}`);
  assert.match(after.a, /^3\.14159265/);
  await page.context().close();
});

test("panels that are wheeled one after the other all converge, and each has its own cursor", async () => {
  const out = run(`figure("two", columns: 2, formats: "html") {
    panel(1, 1) { scatter(1..40000, sin(1..40000)) }
    panel(1, 2) { scatter([1, 2, 3], [1, 2, 3]) }
}`, "two");
  const page = await open(join(out, "two.html")), one = new Hand(page, 0), two = new Hand(page, 1);
  const from = await one.spot(0.5, 0.5), to = await two.spot(0.5, 0.5);
  await page.mouse.move(...from);
  await page.mouse.wheel(0, -100);
  await page.mouse.move(...to);
  await page.mouse.wheel(0, -100);
  await one.settled();
  assert.deepEqual(await page.evaluate(() => quillFigures[0].panels.map((p) => p.isMoving)), [false, false]);
  await page.evaluate(() => quillFigures[0].whole());
  const place = () => page.evaluate(() => quillFigures[0].hover.place);
  await two.focus();
  await page.keyboard.press("n");
  await page.keyboard.press("n");
  assert.equal(await place(), 1);
  await one.focus();
  await page.keyboard.press("n");
  assert.equal(await place(), 0);
  await two.focus();
  await page.keyboard.press("n");
  assert.equal(await place(), 2);
  await page.context().close();
});

test("the right axis goes along with the left one, and its layers are read by it", async () => {
  const out = run(`figure("right", formats: "html") {
    line([0, 1, 2], [0, 1, 2], label: "level")
    line([0, 1, 2], [100, 400, 200], label: "inflow", axis: "right")
    y_axis("level (m)", limits: (0, 4))
    right_axis("inflow (l/s)", limits: (0, 800))
}`, "right");
  const page = await open(join(out, "right.html")), s = new Hand(page);
  const rowsAt = (y) => page.evaluate(([x, v]) => {
    const f = quillFigures[0], p = f.panels[0], map = p.mappingOf(p.layers[1]);
    f.read(map.x(x), map.y(v));
    return Object.fromEntries(f.hover.rows);
  }, y);
  assert.deepEqual(await rowsAt([1, 400]), { x: "1", inflow: "400 l/s" });
  const at = await s.spot(0.5, 0.5);
  await s.wheel(at, -200);
  const zoomed = await s.limits;
  const share = (l, high) => [l[0] / high, l[1] / high];
  share(zoomed.y, 4).forEach((v, k) => assert.ok(Math.abs(v - share(zoomed.right, 800)[k]) < 1e-9, JSON.stringify(zoomed)));
  assert.deepEqual(await rowsAt([1, 400]), { x: "1", inflow: "400 l/s" });
  assert.ok((await page.locator('[data-tick="right"]').count()) >= 2);
  await page.evaluate(() => quillFigures[0].whole());
  assert.deepEqual((await s.limits).right, [0, 800]);
  assert.deepEqual(page.wrong, []);
  await page.context().close();
});

test("an animated figure shows each frame, keeps the view, and plays to its end", async () => {
  const out = run(`figure("moving", frames: [1, 4, 9], formats: "html", frame_rate: 30) {
    title("frame {frame}")
    line([0, 1, 2], [0, frame, 2 * frame], label: "level")
    if frame == 4 { note("half way", at: (1, 4)) }
    legend()
}`, "moving");
  const page = await open(join(out, "moving.html")), s = new Hand(page);
  const seen = () => page.evaluate(() => {
    const f = quillFigures[0], p = f.panels[0];
    return { y: [...p.layers[0].y], limits: p.limits.y, at: f.frames.at, label: document.querySelector(".frames output").textContent,
             title: p.over.textContent.includes("frame " + f.frames.label), note: p.over.textContent.includes("half way") };
  });
  const first = await seen();
  assert.deepEqual(first.y, [0, 1, 2]);
  assert.ok(first.limits[1] >= 18 && !first.note && first.title, "limits of all frames");
  await s.wheel(await s.spot(0.5, 0.5), -100);
  const closer = await s.limits;
  const slider = page.locator(".frames input");
  await slider.fill("1");
  await page.waitForFunction(() => quillFigures[0].frames.at === 1);
  const second = await seen();
  assert.deepEqual(second.y, [0, 4, 8]);
  assert.deepEqual((await s.limits).y, closer.y);
  assert.ok(second.note && second.title && second.label.endsWith("4"), JSON.stringify(second));
  await slider.fill("2");
  await page.waitForFunction(() => quillFigures[0].frames.at === 2);
  assert.ok(!(await seen()).note);
  await page.getByRole("button", { name: "Play" }).click();
  await page.waitForFunction(() => !quillFigures[0].frames.isPlaying);
  assert.equal((await seen()).at, 2);
  await slider.fill("0");
  await page.waitForFunction(() => quillFigures[0].frames.at === 0);
  assert.deepEqual((await seen()).y, [0, 1, 2]);
  assert.deepEqual(page.wrong, []);
  await page.context().close();
});

test("frames may have more, fewer and other layers than the first one", async () => {
  const out = run(`figure("varied", frames: [2, 1, 3], formats: "html") {
    for k in 1..frame { line([0, k], label: "line {k}") }
    if frame == 3 { heatmap([1, 2 | 3, 4], layer: -1) }
}`, "varied");
  const page = await open(join(out, "varied.html"));
  for (const [k, count] of [[0, 2], [1, 1], [2, 4], [0, 2]]) {
    const seen = await page.evaluate(async (k) => {
      const f = quillFigures[0];
      await f.frames.show(k);
      f.drawNow();
      const { model, layers } = f.panels[0];
      return { layers: layers.length, order: model.order, coloured: layers.filter((l) => l.palette).length };
    }, k);
    assert.equal(seen.layers, count);
    assert.deepEqual([...seen.order].sort(), Array.from({ length: count }, (_, j) => j));
    assert.equal(seen.coloured, k === 2 ? 1 : 0);
  }
  assert.deepEqual(page.wrong, []);
  await page.context().close();
});
