// The script of the page finds the same ticks, labels, places and limits as the program, on thousands of ranges.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { test } from "node:test";
import { cases, module } from "./support.mjs";

const { ticksOf, formatted, fixed } = await module("ticks");
const { Scale, paddedLimits } = await module("scale");

/** A label in the program's notation. */
function noted(said) {
  if (typeof said === "string") return said;
  const power = `10^{${said.exponent}}`;
  if (said.times) return `$\\times${power}$`;
  return (said.sign ?? "") + (said.factor === undefined ? `$${power}$` : `$${said.factor}\\times${power}$`);
}

const near = (a, b, unit) => a === b || Math.abs(a - b) <= unit || (Number.isNaN(a) && b === null);
const all = execFileSync(cases, { maxBuffer: 1 << 28 }).toString().trim().split("\n").map((line) => JSON.parse(line));

for (const kind of ["linear", "log", "signed_log", "time"])
  test(`ticks of ${kind} axes`, () => {
    const some = all.filter((c) => c.case === "ticks" && c.kind === kind);
    assert.ok(some.length >= 1000);
    for (const c of some) {
      const what = JSON.stringify(c), found = ticksOf(new Scale(c.kind, c.low, c.high), c.wanted, c.count);
      const unit = 1e-9 * (c.high - c.low);
      assert.deepEqual(found.labels.map(noted), c.labels, what);
      assert.equal(found.common.map(noted).join(""), c.common, what);
      assert.equal(found.context, c.context, what);
      assert.equal(found.positions.length, c.positions.length, what);
      found.positions.forEach((p, k) => assert.ok(near(p, c.positions[k], unit), what));
      assert.equal(found.minor.length, c.minor.length, what);
      found.minor.forEach((p, k) => assert.ok(near(p, c.minor[k], unit), what));
    }
  });

test("places along axes, and limits around data", () => {
  const some = all.filter((c) => c.case === "scale");
  assert.ok(some.length > 1000);
  for (const c of some) {
    const scale = new Scale(c.kind, c.low, c.high, c.reverse), what = JSON.stringify(c);
    c.shares.forEach((share, k) => {
      assert.ok(near(scale.at(share), c.values[k], 1e-12 * Math.max(Math.abs(c.values[k]), c.kind === "linear" ? c.high - c.low : 0)), what);
      assert.ok(near(scale.share(c.values[k]), c.backs[k], 1e-9), what);
    });
    const [low, high] = paddedLimits(c.low, c.high, c.kind, c.tight, false), unit = 1e-9 * Math.max(Math.abs(c.low), Math.abs(c.high));
    assert.ok(near(low, c.padded[0], unit) && near(high, c.padded[1], unit), what);
  }
});

test("numbers in formats that scripts ask for", () => {
  for (const c of all.filter((one) => one.case === "format")) assert.equal(formatted(c.value, c.format), c.text, JSON.stringify(c));
});

test("halves become even", () => {
  assert.deepEqual([0.5, 1.5, 2.5, -0.5, -1.5].map((v) => fixed(v, 0)), ["0", "2", "2", "-0", "-2"]);
  assert.equal(fixed(0.125, 2), "0.12");
  assert.equal(fixed(0.375, 2), "0.38");
  assert.equal(fixed(2.675, 2), "2.67");
});
