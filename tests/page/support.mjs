// What the tests of interactive pages share: the program, a browser, pictures.
import { execFile, execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, writeFileSync, existsSync } from "node:fs";
import { createRequire } from "node:module";
import { tmpdir } from "node:os";
import { dirname, join, resolve } from "node:path";
import { fileURLToPath, pathToFileURL } from "node:url";

export const root = resolve(dirname(fileURLToPath(import.meta.url)), "../..");
const require = createRequire(join(root, "build/tools/page/package.json"));
const { chromium } = require("playwright-core");
const esbuild = require("esbuild");

export const program = process.env.QUILL_PROGRAM ?? join(root, "build/release/eager-quill");
export const cases = process.env.QUILL_PAGE_CASES ?? join(root, "build/release/page_cases");
export const folder = mkdtempSync(join(tmpdir(), "eager-quill-page-"));

/** Runs a script; returns the folder with what it wrote. */
export function run(script, name = "page", options = []) {
  const file = join(folder, `${name}.eq`), out = join(folder, name);
  writeFileSync(file, script);
  execFileSync(program, ["run", file, "--out", out, "--quiet", "--no-config", "--also-read", join(root, "examples"), ...options],
               { stdio: ["ignore", "pipe", "pipe"], cwd: folder });
  return out;
}

/** Runs a script file beside other work. */
export function runFile(file, out) {
  const options = ["--quiet", "--no-config", "--also-read", join(folder, "examples")];
  return new Promise((done, fail) =>
    execFile(program, ["run", file, "--out", out, ...options], (error, _, messages) => (error ? fail(new Error(messages)) : done())));
}

/** For tests of one file that run side by side, each in a page of its own. */
export const parallel = { concurrency: 4 };

const browsers = new Map();

/** A browser whose screen has so many pixels for one of CSS; an emulated ratio would round places to whole ones of CSS. */
function browserOf(ratio) {
  if (!browsers.has(ratio)) // the promise is kept: tests that run side by side share one browser
    browsers.set(ratio, chromium.launch({ executablePath: "/usr/bin/chromium", args: [
      "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
      "--disable-component-update", "--disable-sync", "--force-color-profile=srgb", `--force-device-scale-factor=${ratio}`] }));
  return browsers.get(ratio);
}

/** The page, when its figures are ready. `page.wrong` becomes what its console and its requests should not have. */
export async function open(file, { width = 1000, height = 860, scale = 1, touch = false } = {}) {
  const context = await (await browserOf(scale)).newContext({ viewport: { width, height }, hasTouch: touch, acceptDownloads: true,
                                                              ...(scale === 1 ? {} : { deviceScaleFactor: scale }) });
  const page = await context.newPage(), wrong = [];
  page.on("console", (message) => { if (["error", "warning"].includes(message.type())) wrong.push(message.text()); });
  page.on("pageerror", (error) => wrong.push(String(error)));
  page.on("request", (request) => { if (!/^(file|data|blob):/.test(request.url())) wrong.push("asked for " + request.url()); });
  await page.goto(pathToFileURL(file).href);
  await page.waitForSelector("html.quill-ready", { state: "attached", timeout: 30000 });
  page.wrong = wrong;
  return page;
}

export async function close() {
  for (const browser of browsers.values()) await (await browser).close();
  browsers.clear();
  comparer = undefined;
}

/** A page whose figure has the pixels of its PNG. */
export async function openAtSize(file, dpi = 96) {
  const page = await open(file, { scale: dpi / 96, width: 1000, height: 1000 });
  await page.evaluate(async () => {
    const figure = window.quillFigures[0];
    delete figure.root.dataset.fill; // no larger than it is
    figure.fit();
    figure.drawNow();
    await new Promise(requestAnimationFrame);
  });
  return page;
}

let comparer; // a page for the work of comparing pixels

/**
 * How much the figure on the page differs from a PNG: the mean over all parts of colours, 0 to 255, and that of the
 * worst tile of 16×16 pixels.
 */
export async function difference(page, png) {
  const clip = await page.evaluate(() => {
    const box = document.querySelector(".stage").getBoundingClientRect();
    return { x: Math.round(box.left + window.scrollX), y: Math.round(box.top + window.scrollY), width: Math.ceil(box.width) + 1, height: Math.ceil(box.height) + 1 };
  });
  await page.mouse.move(1, 1);
  const seen = await page.screenshot({ clip });
  comparer ??= browserOf(1).then((browser) => browser.newPage());
  return (await comparer).evaluate(async ([a, b]) => {
    const pixels = async (base64) => {
      const image = new Image();
      image.src = "data:image/png;base64," + base64;
      await image.decode();
      const canvas = new OffscreenCanvas(image.width, image.height), ctx = canvas.getContext("2d");
      ctx.drawImage(image, 0, 0);
      return ctx.getImageData(0, 0, image.width, image.height);
    };
    const [wanted, found] = [await pixels(a), await pixels(b)], tile = 16, tiles = new Map();
    let all = 0;
    for (let j = 0; j < wanted.height; ++j)
      for (let i = 0; i < wanted.width; ++i) {
        const p = 4 * (j * wanted.width + i), q = 4 * (j * found.width + i);
        let off = 0;
        for (let c = 0; c < 3; ++c) off += Math.abs(wanted.data[p + c] - (found.data[q + c] ?? 255));
        all += off;
        const key = Math.floor(i / tile) + " " + Math.floor(j / tile);
        tiles.set(key, (tiles.get(key) ?? 0) + off);
      }
    let worst = 0, where = "";
    for (const [key, sum] of tiles) if (sum > worst) [worst, where] = [sum, key];
    return { mean: all / (3 * wanted.width * wanted.height), worst: worst / (3 * tile * tile), where,
             width: wanted.width, height: wanted.height };
  }, [readFileSync(png).toString("base64"), seen.toString("base64")]);
}

/** A part of the script, for node. */
export async function module(name) {
  const out = join(folder, `${name}.mjs`);
  await esbuild.build({ entryPoints: [join(root, "src/render/page/source", `${name}.ts`)], bundle: true, format: "esm", outfile: out, logLevel: "error" });
  return import(pathToFileURL(out).href);
}

export { existsSync, readFileSync, join };
