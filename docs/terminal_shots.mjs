// Draws the pictures of the terminal for the documents: commands run on the demo project, and what they print.
import { execFileSync, spawn } from "node:child_process";
import { copyFileSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { dirname } from "node:path";
import { close, folder, join, open, program, root } from "../tests/page/support.mjs";

const home = join(folder, "home");
mkdirSync(home, { recursive: true });
const environment = { ...process.env, HOME: home, TERM: "xterm", COLUMNS: "92", LINES: "60", PATH: `${dirname(program)}:${process.env.PATH}` };
delete environment.XDG_CONFIG_HOME;
delete environment.XDG_STATE_HOME;
execFileSync(program, ["demo"], { cwd: folder, env: environment, stdio: "pipe" });

/** Runs a command at a terminal; each step is typed after some time. */
function atTerminal(command, steps = [], wait = 250) {
  return new Promise((done) => {
    const child = spawn("script", ["-qfec", `stty cols 92 rows 60; ${command}`, "/dev/null"], { cwd: folder, env: environment });
    let out = "";
    child.stdout.on("data", (data) => (out += data));
    child.on("close", () => done(out));
    let at = 2000;
    for (const step of steps) {
      setTimeout(() => (typeof step === "function" ? step(child) : child.stdin.write(step + "\n")), at);
      at += wait;
    }
  });
}

const escaped = (text) => text.replace(/&/g, "&amp;").replace(/</g, "&lt;");

/** Text with the colours of a terminal as HTML. */
function markedUp(text) {
  let out = "", open = 0;
  for (const part of text.replace(/\r/g, "").replace(/\x1b\[\?\d+[hl]/g, "").split(/(\x1b\[[\d;]*m)/)) {
    const codes = /^\x1b\[([\d;]*)m$/.exec(part);
    if (!codes) out += escaped(part);
    else if (codes[1] === "0" || codes[1] === "") {
      out += "</b>".repeat(open);
      open = 0;
    } else {
      const color = { 31: "#b3261e", 35: "#8a1c9c", 33: "#8a5a00" }[codes[1].split(";").find((c) => +c >= 30)] ?? "inherit";
      out += `<b style="color:${color}">`;
      ++open;
    }
  }
  return out + "</b>".repeat(open);
}

async function picture(name, text, height = 800) {
  const page = join(folder, `${name}.html`);
  writeFileSync(page, `<!DOCTYPE html><html class="quill-ready"><meta charset="utf-8"><body style="margin:0;background:#fdfdf8;color:#222"><pre style="margin:14px 18px;font:16px/1.3 'DejaVu Sans Mono',monospace">${markedUp(text)}</pre>`);
  const shown = await open(page, { width: 1100, height });
  await shown.screenshot({ path: join(root, `docs/screenshots/${name}.png`) });
}

/** Commands with what they print, as somebody sees them. */
function commands(...lines) {
  let out = "";
  for (const line of lines) {
    let shown = "";
    try {
      shown = execFileSync("/bin/sh", ["-c", `${line} 2>&1`], { cwd: folder, env: environment }).toString();
    } catch (error) {
      shown = error.stdout.toString();
    }
    out += `$ ${line}\n${shown}`;
  }
  return out;
}

await picture("help", commands("eager-quill help interpolate", "eager-quill help --search linear regression | head -8"));

await picture("verify", commands("eager-quill run velm/lake/volume.eq --out velm/out --quiet >numbers.txt", "eager-quill verify velm/out",
  "sed -i 3s/17.84/19.84/ velm/lake/soundings.csv", "eager-quill verify velm/out"), 330);
commands("sed -i 3s/19.84/17.84/ velm/lake/soundings.csv");

writeFileSync(join(folder, "draft.eq"), `#: A draft with mistakes.
given unit = "m" "unit of depths"
cast = load("velm/lake/soundings.csv")
section "Soundings"
fn share_below(depth, level) = mean(depth > level)
depth = cast.depth
print("{share_below(depth):.2f} of the soundings are deeper than 20 {unit}")
weight = zeros(3)
other = zeros(4)
print("mean {sum(weight * other) / total:.1q} m")
total = 12
`);
await picture("check", commands("eager-quill check draft.eq"), 620);

for (const file of ["messy_table.eq", "data/casts.csv"]) {
  mkdirSync(dirname(join(folder, "recipes", file)), { recursive: true });
  copyFileSync(join(root, "examples/recipes", file), join(folder, "recipes", file));
}
await picture("tables", commands("eager-quill run recipes/messy_table.eq", "cat out/casts.csv | head -4"), 720);

// A study that is interrupted and continued. Of the line of progress the last state is shown.
const sweep = "eager-quill sweep velm/flood_level.eq --vary 'flood=2..40 by 2' --vary 'width=2..12 by 0.5'";
const interrupted = await atTerminal(`${sweep} --no-config`, [() => {}, (child) => child.stdin.write("\x03")], 3000);
const states = interrupted.split("\r\x1b[K");
const progress = states.filter((state) => / a second: /.test(state)).at(-1);
const rest = (text) => text.replace(/\r\x1b\[K[^\r]* a second: [^\r]*/g, "").replace(/\r\x1b\[K/g, "").replace(/\^C/g, "");
await picture("sweep", `$ ${sweep}\n${rest(progress).trim()}\n^C\n${rest(interrupted).trim()}\n$ ${sweep}\n` +
  rest(await atTerminal(`${sweep} --no-config`)) + commands("head -5 study/cases.csv | cut -c1-90 | tail -4", "eager-quill verify study --sample 20"), 460);
execFileSync("sh", ["-c", "eager-quill sweep velm/flood_level.eq --vary 'flood=[5, 10, 20, 40]' --vary 'width=2..10 by 2' --collect highest,hour --out levels --quiet"],
             { cwd: folder, env: environment });
const guide = readFileSync(join(root, "docs/guide/studies.md"), "utf8");
writeFileSync(join(folder, "levels.eq"), /```\n(cases = load[^`]*)```/.exec(guide)[1].replace("study/", "levels/"));
execFileSync("eager-quill", ["run", "levels.eq", "--out", "levels", "--quiet"], { cwd: folder, env: environment });
copyFileSync(join(folder, "levels/flood_levels.png"), join(root, "docs/screenshots/flood-levels.png"));

const session = await atTerminal("eager-quill --no-config", [
  'cast = load("velm/lake/soundings.csv")', "factor = 1", "depth = cast.depth * factor", "mean(depth)",
  'save("depths.csv", (depth: depth))', 'figure("depths") { histogram(depth, bins: 20) }', ":edit 2 factor = 1.02",
  "max(dept)", ":write depths.eq", (child) => child.stdin.write("\x04")], 1800);
await picture("prompt", session);

const script = (limit, name = "shallow") => `section "Depths"
cast = load("velm/lake/soundings.csv")
limit = ${limit}
shallow = sum(cast.depth < limit)
print("{${name}} of {length(cast.depth)} soundings are shallower than {limit} m")
figure("depths") { histogram(cast.depth, bins: 20) }
`;
writeFileSync(join(folder, "w.eq"), script(10));
const change = (...values) => () => writeFileSync(join(folder, "w.eq"), script(...values));
const watched = await atTerminal("eager-quill watch w.eq --no-config", [change(10), change(15), change(15, "shalow"), change(20),
  (child) => child.stdin.write("\x03")], 1500);
await picture("watch", watched.replace(/\x1b\[[\d;]*[JHK]/g, ""), 720);

execFileSync(program, ["report", join(root, "examples/heat.eq"), "-o", join(folder, "heat.html"), "--quiet", "--no-config"],
             { cwd: folder, env: environment, stdio: "pipe" });
// The page as a wide and as a narrow screen show it.
writeFileSync(join(folder, "both.html"), `<!DOCTYPE html><html class="quill-ready"><body style="margin:0;background:#8d97a3;display:flex;gap:10px">
<iframe src="heat.html" width="950" height="800" style="border:0"></iframe><iframe src="heat.html" width="320" height="800" style="border:0"></iframe>`);
const shown = await open(join(folder, "both.html"), { width: 1280, height: 800 });
await shown.frames().at(-1).evaluate(() => document.querySelector("figure").scrollIntoView({ block: "center" }));
await shown.screenshot({ path: join(root, "docs/screenshots/report.png") });
await close();
