// The search box: sections whose text contains every word, best match first; and the menu on narrow screens.
const input = document.querySelector(".search input");
const list = document.querySelector(".found");
const up = document.body.dataset.up;
const menu = document.querySelector(".menu");
if (matchMedia("(max-width: 820px)").matches) menu.open = false;

document.querySelector("nav a[aria-current]")?.scrollIntoView({ block: "nearest" });

const sections = quillIndex.map((s) => ({ ...s, lower: s.text.toLowerCase(), head: s.heading.toLowerCase() }));

function scoreOf(section, words) {
  let score = 0;
  for (const word of words) {
    if (section.head === word) score += 100;
    else if (section.head.includes(word)) score += 30;
    else if (section.page.toLowerCase().includes(word)) score += 8;
    else if (!section.lower.includes(word)) return 0;
    if (section.lower.includes(word)) score += 1;
  }
  return score;
}

function excerptOf(section, word) {
  const at = Math.max(0, section.lower.indexOf(word) - 40);
  return (at > 0 ? "… " : "") + section.text.slice(at, at + 120);
}

function show() {
  const words = input.value.toLowerCase().split(/\s+/).filter(Boolean);
  const found = words.length
    ? sections.map((section) => ({ section, score: scoreOf(section, words) })).filter((f) => f.score > 0)
    : [];
  found.sort((a, b) => b.score - a.score);
  list.replaceChildren(
    ...found.slice(0, 12).map(({ section }) => {
      const link = document.createElement("a");
      link.href = up + section.to;
      const title = document.createElement("b");
      title.textContent = section.heading;
      const page = document.createElement("span");
      page.textContent = section.heading === section.page ? "" : ` · ${section.page}`;
      const excerpt = document.createElement("small");
      excerpt.textContent = excerptOf(section, words[0]);
      link.append(title, page, excerpt);
      const item = document.createElement("li");
      item.append(link);
      return item;
    }),
  );
  if (words.length && found.length === 0) list.textContent = "nothing found";
  list.hidden = words.length === 0;
}

input.addEventListener("input", show);
document.addEventListener("keydown", (event) => {
  if (event.key === "Escape") {
    input.value = "";
    show();
  }
  if (event.key === "/" && document.activeElement !== input) {
    event.preventDefault();
    input.focus();
  }
  if (event.key === "Enter" && document.activeElement === input) list.querySelector("a")?.click();
});
