// What pages promise beside gestures: no network, text that stays text, access for all, large data, reports.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { statSync, writeFileSync } from "node:fs";
import { after, test } from "node:test";
import { close, folder, join, open, program, readFileSync, root, run } from "./support.mjs";

after(close);

const axe = readFileSync(join(root, "build/tools/page/node_modules/axe-core/axe.min.js"), "utf8");

/** What axe-core finds, with the page's own policy in force. */
async function findings(page) {
  const session = await page.context().newCDPSession(page);
  await session.send("Runtime.evaluate", { expression: axe });
  return page.evaluate(async () => (await window.axe.run(document)).violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.html.slice(0, 90)).join(" ")}`));
}

test("text from data never becomes markup", async () => {
  const evil = "<img src=x onerror=alert(1)></script><script>alert(2)</script>&lt;b&gt;";
  writeFileSync(join(folder, "evil.csv"), `"<img onerror=alert(3)> (m)",plain\n1,2\n2,3\n3,1\n`);
  const text = JSON.stringify(evil);
  const out = run(`t = load("evil.csv")
figure("evil", formats: ["html"]) {
    title(${text})
    line(t[1], t.plain, label: ${text})
    scatter([1, 2, 3], [2, 1, 2], label: "<b>bold</b>")
    note(${text}, at: (2, 2))
    x_axis(${text}, ticks: [1, 2, 3], tick_labels: ["<i>one</i>", "two</svg>", "three"])
    legend("top left")
}`.replace("t[1], ", "[1, 2, 3], "), "evil");
  const page = await open(join(out, "evil.html"));
  page.on("dialog", () => page.wrong.push("a dialog"));
  assert.equal(await page.locator("img").count(), 0);
  assert.equal(await page.locator(".stage b, .stage i").count(), 0);
  assert.ok((await page.evaluate(() => quillFigures[0].panels[0].over.textContent)).includes("<b>bold</b>"));
  assert.equal(await page.title(), evil.replace(/\s+/g, " "));
  // Read, pinned and in the table it is the same text.
  await page.evaluate(() => { const f = quillFigures[0], m = f.panels[0].mapping; f.read(m.x(1), m.y(2)); if (f.hover) f.pin(f.hover); });
  await page.getByRole("button", { name: "Data" }).click();
  assert.equal(await page.locator("img").count(), 0);
  assert.ok((await page.textContent(".data")).includes("<img src=x onerror=alert(1)>"));
  assert.deepEqual(page.wrong, []);
  await page.context().close();
});

test("a column with a hostile name is shown as such", async () => {
  writeFileSync(join(folder, "column.csv"), '"<img onerror=alert(3)> (m)",plain\n1,2\n2,3\n3,1\n');
  const out = run('t = load("column.csv")\nfigure("column", formats: "html") {\n    line(t["<img onerror=alert(3)>"], t.plain)\n}', "column");
  const page = await open(join(out, "column.html"));
  assert.equal(await page.locator("img").count(), 0);
  assert.match(await page.evaluate(() => quillFigures[0].panels[0].over.textContent), /<img onerror=alert\(3\)>/);
  assert.deepEqual(page.wrong, []);
  await page.context().close();
});

test("the policy forbids all network and foreign scripts; nothing is inline", () => {
  const html = readFileSync(join(run('figure("p", formats: ["html"]) { line([1, 2]) }', "policy"), "p.html"), "utf8");
  assert.match(html, /Content-Security-Policy" content="default-src 'none'; script-src 'sha256-[A-Za-z0-9+/]{43}='; font-src data:; img-src data: blob:; style-src 'unsafe-inline'; base-uri 'none'; form-action 'none'"/);
  const script = /<script>([^]*?)<\/script>/.exec(html)[1], markup = html.replace(/<script[^]*?<\/script>/g, "");
  assert.doesNotMatch(script, /\beval\(|new Function|XMLHttpRequest|WebSocket|\bfetch\(/);
  assert.doesNotMatch(markup, /\son\w+=|javascript:|src="http|href="http/);
  assert.ok(html.length < 250000, `${html.length} bytes without data`);
});

test("pages are accessible: axe-core finds nothing, in the plane and in space", async () => {
  const out = run(`theme("quill", formats: ["html"])
figure("plane") { line([1, 3, 2], label: "level"); title("Levels"); x_axis("day"); y_axis("level (m)"); legend() }
figure("space", theme: "night") { surface(0..4, 0..4, down(0..4) * across(0..4)) }`, "axe");
  for (const name of ["plane", "space"]) {
    const page = await open(join(out, `${name}.html`));
    assert.deepEqual(await findings(page), []);
    await page.getByRole("button", { name: "Data" }).click();
    await page.evaluate(() => { const f = quillFigures[0], p = f.panels[0]; f.pin(p.space ? p.space.reading(0, 0, 3, 0) : p.readingAt(p.mapping.x(2), p.mapping.y(3), 20, 1)); });
    await page.locator("summary").click();
    assert.deepEqual(await findings(page), []);
    const label = await page.locator(".pane").getAttribute("aria-label");
    assert.match(label, name === "plane" ? /^Levels: x, day, from .* to .*; y, level \(m\), from .* m to .* m$/ : /x, from 0 to 4; y, from 0 to 4; z/);
    await page.context().close();
  }
});

test("what pages say keeps a contrast of 4.5 in every theme", async () => {
  const out = run(["quill", "field", "night", "print", "slides"].map((t) => `figure("${t}", theme: "${t}", formats: "html") { line([1, 3, 2], label: "a"); legend() }`).join("\n"), "themes");
  for (const theme of ["quill", "field", "night", "print", "slides"]) {
    const page = await open(join(out, `${theme}.html`));
    assert.deepEqual((await findings(page)).filter((f) => f.startsWith("color-contrast")), [], theme);
    await page.context().close();
  }
});

test("provenance stands in the page, and trace reads it", () => {
  const out = run('figure("known", formats: ["html"]) { line([1, 2]) }', "known");
  const told = execFileSync(program, ["trace", join(out, "known.html")]).toString();
  assert.match(told, /known\.eq/);
});

test("a line of ten million points opens, says what it left out, and fits its budget", async () => {
  const out = run(`n = 10000000
t = (1..n) / 1000
y = sin(t / 100)
y[1234567] = 9
figure("long", formats: ["html"]) { line(t, y) }
figure("short", formats: ["html"], page_budget: 0.2) { line(t[1..1000000], y[1..1000000]) }`, "long");
  for (const [name, most] of [["long", 5.3e6], ["short", 0.4e6]]) {
    assert.ok(statSync(join(out, `${name}.html`)).size < most);
    const page = await open(join(out, `${name}.html`));
    assert.match(await page.textContent(".left-out"), /line: minimum and maximum of every \d+ points/);
    // The one point that stands out is there still, whatever else was left out.
    if (name === "long") {
      const found = await page.evaluate(() => { const l = quillFigures[0].panels[0].layers[0], k = l.y.indexOf(9); return [l.x[k], l.y[k]]; });
      assert.deepEqual(found, [1234.567, 9]);
    }
    assert.deepEqual(page.wrong, []);
    await page.context().close();
  }
});

test("numbers arrive bit for bit: nan, infinities, times, even steps", async () => {
  const out = run(`x = [0.1, 0.2, 0.30000000000000004, nan, 1e-310, 5] * 1
y = random_normal(2000)
figure("bits", formats: ["html"]) {
    line(0..1999, y)
    scatter(0..5, x)
    line((0..1999) * 0.1, y / 3)
}`, "bits");
  const page = await open(join(out, "bits.html"));
  const said = await page.evaluate(() => { const l = quillFigures[0].panels[0].layers; return [[...l[1].y], l[0].y[999], l[2].y[999], l[2].x[999], l[0].y.length]; });
  assert.deepEqual(said[0], [0.1, 0.2, 0.30000000000000004, NaN, 1e-310, 5]);
  assert.equal(said[3], 999 * 0.1);
  assert.equal(said[4], 2000);
  assert.equal(said[2], said[1] / 3);
  await page.context().close();
});

test("a fields' cells, more than the budget has room for, become means", async () => {
  const out = run('z = random(600, 600)\nz[1, 1] = nan\nfigure("field", formats: ["html"], page_budget: 0.5) { heatmap(z) }', "field");
  const page = await open(join(out, "field.html"));
  assert.match(await page.textContent(".left-out"), /heatmap: means of \d×\d cells/);
  const { n, mean, rises } = await page.evaluate(() => { const l = quillFigures[0].panels[0].layers[0], z = l.z.filter(isFinite); return { n: z.length, mean: z.reduce((a, b) => a + b, 0) / z.length, rises: l.rises }; });
  assert.ok(n < 60000 && Math.abs(mean - 0.5) < 0.01 && rises);
  await page.context().close();
});

test("reports embed interactive figures on request, and none otherwise", async () => {
  const script = join(folder, "study.eq"), file = join(folder, "study.html");
  writeFileSync(script, '#: # Two figures\nfigure("one") { line([1, 3, 2], label: "größer"); legend() }\nfigure("two") { surface(0..4, 0..4, down(0..4) * across(0..4)) }\n');
  execFileSync(program, ["report", script, "-o", file, "--no-config", "--interactive"], { cwd: folder, stdio: "pipe" });
  const page = await open(file);
  assert.equal(await page.locator(".quill-figure.ready").count(), 2);
  assert.deepEqual(await findings(page), []);
  // The wheel scrolls the report, until a figure has been clicked.
  const start = await page.evaluate(() => JSON.stringify(quillFigures[0].panels[0].limits));
  const box = await page.locator(".quill-figure .stage").first().boundingBox();
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  await page.mouse.wheel(0, 10);
  await page.waitForTimeout(100);
  assert.equal(await page.evaluate(() => JSON.stringify(quillFigures[0].panels[0].limits)), start);
  await page.locator(".pane").first().focus();
  await page.locator(".pane").first().press("+");
  assert.notEqual(await page.evaluate(() => JSON.stringify(quillFigures[0].panels[0].limits)), start);
  assert.deepEqual(page.wrong, []);
  await page.context().close();
  execFileSync(program, ["report", script, "-o", file, "--no-config"], { cwd: folder, stdio: "pipe" });
  assert.doesNotMatch(readFileSync(file, "utf8"), /<script/);
});

test("a browser that lacks what is needed says so", async () => {
  const file = join(run('figure("old", formats: ["html"]) { line(random_normal(500)) }', "old"), "old.html");
  const html = readFileSync(file, "utf8"), broken = join(folder, "broken.html");
  writeFileSync(broken, html.replace(/"z":"[^"]{20}/, '"z":"!!!!!!!!!!!!!!!!!!!!'));
  const page = await open(broken);
  assert.match(await page.locator('[role="alert"]').textContent(), /could not be drawn in this browser/);
  await page.context().close();
});

test("the bundle is made from the source that is there", () => {
  const out = join(folder, "bundle");
  execFileSync(join(root, "dev"), ["page", out], { stdio: "pipe" });
  for (const name of ["page.js", "page.css"])
    assert.equal(readFileSync(join(out, name), "utf8"), readFileSync(join(root, "src/render/page/bundle", name), "utf8"), `./dev page makes ${name} anew`);
});

test("on a phone panels stand below each other, texts can be read and buttons can be touched", async () => {
  const out = run(`figure("phone", columns: 2, formats: "html", link_y: "rows") {
    panel(1, 1) {
        line(1..5, [2, 3, 1, 4, 2], label: "level")
        line(1..5, [1, 1, 2, 2, 3], label: "outflow")
        legend()
        x_axis("time (h)")
    }
    panel(1, 2) {
        scatter([1, 2], [3, 9], label: "samples")
        legend()
    }
}`, "phone");
  for (const width of [320, 375, 414]) {
    const page = await open(join(out, "phone.html"), { width, height: 800, touch: true });
    const seen = await page.evaluate(() => {
      const f = quillFigures[0];
      return { areas: f.panels.map((p) => p.model.area), wide: document.documentElement.scrollWidth,
               limits: f.panels.map((p) => p.limits.y),
               sizes: [...document.querySelectorAll(".over text")].map((t) => parseFloat(t.getAttribute("font-size") ?? getComputedStyle(t).fontSize) * f.pixels),
               buttons: [...document.querySelectorAll(".list button, .bar button")].map((b) => b.getBoundingClientRect().height) };
    });
    assert.ok(seen.areas[1][1] > seen.areas[0][1] + seen.areas[0][3], "below each other");
    assert.ok(seen.wide <= width, `no wider than the screen: ${seen.wide}`);
    assert.deepEqual(seen.limits[0], seen.limits[1]);
    assert.ok(Math.min(...seen.sizes) >= 9, `texts of ${Math.min(...seen.sizes)} px`);
    assert.ok(seen.buttons.length >= 3 && Math.min(...seen.buttons) >= 32, String(seen.buttons));
    await page.getByRole("button", { name: "outflow" }).click();
    assert.deepEqual(await page.evaluate(() => [...quillFigures[0].panels[0].hidden]), [1]);
    assert.deepEqual(await findings(page), []);
    assert.deepEqual(page.wrong, []);
    await page.context().close();
  }
});

test("tables of data have one notation for each column and names of their own", async () => {
  const out = run(`figure("table", formats: "html") {
    line(1..3, [1e-6, 0.5, 25])
    line(1..3, [1.5, 2.25, 3])
}`, "table");
  const page = await open(join(out, "table.html"));
  await page.getByRole("button", { name: "Data" }).click();
  const columns = await page.evaluate(() => [...document.querySelectorAll("table")].map((t) => [...t.querySelectorAll("tbody tr")].map((r) => r.lastChild.textContent)));
  assert.ok(columns[0].every((t) => /^\d(\.\d+)?×10[⁻⁰¹²³⁴⁵⁶⁷⁸⁹]+$/.test(t)), String(columns[0]));
  assert.deepEqual(columns[1], ["1.50", "2.25", "3.00"]);
  assert.deepEqual(await findings(page), []);
  await page.context().close();
});
