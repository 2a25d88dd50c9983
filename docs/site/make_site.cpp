// Renders the documents of the project as a site of static pages, with a menu and a search box that work
// without a network and without a server. Links between documents become links between pages; a link that
// leads nowhere is an error.
#include <fmt/format.h>

#include <algorithm>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <functional>
#include <iterator>
#include <map>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

#include "base/text.h"
#include "builtins/tables.h"
#include "report/code.h"
#include "report/prose.h"

namespace fs = std::filesystem;
using namespace quill;

namespace {

int broken_links = 0;

std::string read(const fs::path& path) {
  std::ifstream in(path, std::ios::binary);
  return {std::istreambuf_iterator<char>(in), {}};
}

void write(const fs::path& path, const std::string& text) {
  fs::create_directories(path.parent_path());
  std::ofstream(path, std::ios::binary) << text;
}

// Where a file of the project is in the site; nothing for files that are not part of it.
std::optional<fs::path> place_of(const fs::path& file) {
  const auto text = file.generic_string();
  if (text == "README.md") return "index.html";
  if (text == "CONTRIBUTING.md") return "contributing/index.html";
  if (text == "LICENSE") return "LICENSE.txt";
  const bool is_example = text.starts_with("examples/");
  if (!is_example && !text.starts_with("docs/")) return std::nullopt;
  const auto inside = is_example ? file : fs::path(text.substr(5));
  const auto extension = file.extension().string();
  if (file.filename() == "README.md") return inside.parent_path() / "index.html";
  if (extension == ".md") return fs::path(inside).replace_extension(".html");
  if (extension == ".eq") return inside.string() + ".html";
  return inside;
}

struct Page {
  fs::path source, place;
  std::string title, body;
};

// Replaces the targets of all links and pictures.
std::string with_links(const std::string& html,
                       const std::function<std::string(const std::string&)>& target) {
  std::string out;
  std::size_t at = 0;
  while (true) {
    const auto href = html.find(" href=\"", at), src = html.find(" src=\"", at);
    const auto found = std::min(href, src);
    if (found == std::string::npos) return out + html.substr(at);
    const auto begin = html.find('"', found) + 1, end = html.find('"', begin);
    out += html.substr(at, begin - at) + target(html.substr(begin, end - begin));
    at = end;
  }
}

// Marks the tokens of scripts in code blocks; blocks of other text are unchanged.
std::string with_colours(const std::string& html) {
  std::string out;
  std::size_t at = 0;
  while (true) {
    const auto begin = html.find("<pre><code", at);
    if (begin == std::string::npos) return out + html.substr(at);
    const auto inside = html.find('>', begin + 6) + 1, end = html.find("</code></pre>", inside);
    const auto tag = html.substr(begin, inside - begin);
    const bool is_code =
        tag.find("language-quill") != std::string::npos || tag.find("language-eq") != std::string::npos;
    const auto text = html.substr(inside, end - inside);
    out += html.substr(at, begin - at) + (is_code ? "<pre class=\"script\"><code>" : "<pre><code>") +
           (is_code ? highlighted(unescaped_markup(text)) : text);
    at = end;
  }
}

class Site {
 public:
  Site(fs::path root, fs::path to) : root_(std::move(root)), to_(std::move(to)) {}

  void add(const fs::path& file) {
    const auto place = place_of(file);
    if (!place) return;
    const auto extension = file.extension().string();
    if (extension == ".md")
      add_document(file, *place);
    else if (extension == ".eq")
      pages_.push_back(
          {file, *place, file.filename().string(),
           fmt::format("<h1>{}</h1>\n<pre class=\"script\"><code>{}</code></pre>\n",
                       escaped_markup(file.filename().string()), highlighted(read(root_ / file)))});
    else {
      fs::create_directories((to_ / *place).parent_path());
      fs::copy_file(root_ / file, to_ / *place, fs::copy_options::overwrite_existing);
    }
  }

  void finish() {
    for (const auto& page : pages_) write(to_ / page.place, text_of(page));
    nlohmann::json index = nlohmann::json::array();
    for (const auto& page : pages_)
      if (page.source.extension() == ".md") add_sections(page, index);
    write(to_ / "index.js", "const quillIndex = " + index.dump() + ";\n");
    for (const char* file : {"site.css", "site.js"})
      fs::copy_file(root_ / "docs/site" / file, to_ / file, fs::copy_options::overwrite_existing);
    std::printf("site: %zu pages in %s\n", pages_.size(), to_.c_str());
  }

 private:
  void add_document(const fs::path& file, const fs::path& place) {
    const auto text = read(root_ / file);
    ProseOptions options;
    options.is_trusted = true;
    int level = 0;
    auto html = html_of_prose(text, options, level);
    html = with_links(html, [&](const std::string& target) { return target_from(file, place, target); });
    const auto begin = text.find("# ");
    pages_.push_back(
        {file, place, text.substr(begin + 2, text.find('\n', begin) - begin - 2), with_colours(html)});
  }

  std::string target_from(const fs::path& file, const fs::path& place, const std::string& target) {
    if (target.starts_with('#') || target.find("://") != std::string::npos || target.starts_with("data:"))
      return target;
    const auto hash = std::min(target.find('#'), target.size());
    auto name = target.substr(0, hash);
    if (name.starts_with("&lt;")) name = unescaped_markup(name);
    auto linked = (file.parent_path() / name).lexically_normal();
    if (linked.has_filename() && !fs::exists(root_ / linked)) {
      std::fprintf(stderr, "%s: a link leads nowhere: %s\n", file.c_str(), target.c_str());
      ++broken_links;
    }
    const auto there = place_of(linked);
    if (!there) return target;
    return there->lexically_relative(place.parent_path()).generic_string() + target.substr(hash);
  }

  static std::string up_from(const fs::path& place) {
    std::string out;
    for (auto folder = place.parent_path(); !folder.empty(); folder = folder.parent_path()) out += "../";
    return out;
  }

  std::string menu_for(const Page& page) const {
    std::string out;
    const auto up = up_from(page.place);
    const auto entry = [&](const Page& to, const std::string& title) {
      out += fmt::format("<li><a href=\"{}{}\"{}>{}</a></li>\n", up, to.place.generic_string(),
                         to.place == page.place ? " aria-current=\"page\"" : "", escaped_markup(title));
    };
    const auto group = [&](const char* title, const std::string& folder) {
      out += fmt::format("<li class=\"group\">{}\n<ul>\n", title);
      const auto index = std::find_if(pages_.begin(), pages_.end(), [&](const Page& p) {
        return p.place == fs::path(folder) / "index.html";
      });
      if (index != pages_.end()) entry(*index, "Overview");
      for (const auto& p : pages_)
        if (p.place.parent_path() == folder && p.place.filename() != "index.html" &&
            p.source.extension() == ".md")
          entry(p, p.title);
      out += "</ul></li>\n";
    };
    for (const auto& p : pages_)
      if (p.place == "index.html") entry(p, "Eager Quill");
    group("Guide", "guide");
    group("Recipes", "recipes");
    group("Gallery", "gallery");
    group("Reference", "reference");
    group("More", "");
    return out;
  }

  std::string text_of(const Page& page) const {
    const auto up = up_from(page.place);
    return fmt::format(
        "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
        "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n"
        "<title>{0}</title>\n<link rel=\"stylesheet\" href=\"{1}site.css\">\n"
        "<script src=\"{1}index.js\" defer></script>\n<script src=\"{1}site.js\" defer></script>\n</head>\n"
        "<body data-up=\"{1}\">\n<a class=\"skip\" href=\"#content\">To the content</a>\n<nav "
        "aria-label=\"Documents\">\n"
        "<div class=\"search\" role=\"search\"><input type=\"search\" placeholder=\"Search\" "
        "aria-label=\"Search\">"
        "<ol class=\"found\" aria-live=\"polite\" hidden></ol></div>\n"
        "<details class=\"menu\" open><summary>Contents</summary>\n<ul>\n{2}</ul>\n</details>\n</nav>\n"
        "<main id=\"content\">\n{3}</main>\n</body>\n</html>\n",
        escaped_markup(page.title == "Eager Quill" ? page.title : page.title + " · Eager Quill"), up,
        menu_for(page), page.body);
  }

  // Each section of a page by its heading, with its words, for the search.
  static void add_sections(const Page& page, nlohmann::json& index) {
    const auto& html = page.body;
    std::size_t at = 0;
    std::string id, heading = page.title;
    while (at < html.size()) {
      auto next = html.find("<h", at);
      while (next != std::string::npos &&
             (next + 2 >= html.size() || html[next + 2] < '1' || html[next + 2] > '3'))
        next = html.find("<h", next + 2);
      auto words = plain(html.substr(at, next == std::string::npos ? next : next - at));
      // Synonyms of a built-in, which its page does not contain.
      if (const int row = builtins().find(heading); row >= 0 && !words.empty())
        words += fmt::format(" {} {}", builtins().row(row).words, builtins().row(row).search_words);
      if (!words.empty())
        index.push_back({{"page", page.title},
                         {"heading", heading},
                         {"to", page.place.generic_string() + (id.empty() ? "" : "#" + id)},
                         {"text", words}});
      if (next == std::string::npos) return;
      const auto open = html.find('>', next), close = html.find("</h", open);
      heading = plain(html.substr(open + 1, close - open - 1));
      const auto quote = html.find("id=\"", next);
      id = quote < open ? html.substr(quote + 4, html.find('"', quote + 4) - quote - 4) : "";
      if (html[next + 2] == '1') id.clear();
      at = html.find('>', close) + 1;
    }
  }

  static std::string plain(const std::string& html) {
    std::string out;
    bool inside = false;
    for (const char c : html) {
      if (c == '<') inside = true;
      if (!inside && (c != '\n' && c != ' ')) out += c;
      if ((inside && c == '>') || c == '\n' || c == ' ')
        if (!out.empty() && out.back() != ' ') out += ' ';
      if (c == '>') inside = false;
    }
    while (out.ends_with(' ')) out.pop_back();
    return unescaped_markup(out);
  }

  fs::path root_, to_;
  std::vector<Page> pages_;
};

// Files below a folder, in the order of the documents: as its README links to them, then by name.
std::vector<fs::path> files_below(const fs::path& root, const fs::path& folder) {
  std::vector<fs::path> out;
  for (const auto& entry : fs::recursive_directory_iterator(root / folder))
    if (entry.is_regular_file()) out.push_back(entry.path().lexically_relative(root));
  const auto readme = read(root / folder / "README.md");
  const auto rank = [&](const fs::path& p) {
    return readme.find("](" + p.lexically_relative(folder).generic_string());
  };
  std::sort(out.begin(), out.end(), [&](const fs::path& a, const fs::path& b) {
    return rank(a) != rank(b) ? rank(a) < rank(b) : a < b;
  });
  return out;
}

}  // namespace

int main(int count, char** arguments) {
  if (count != 3) {
    std::fputs("usage: make_site PROJECT FOLDER\n", stderr);
    return 2;
  }
  const fs::path root(arguments[1]), to(arguments[2]);
  fs::remove_all(to);
  Site site(root, to);
  for (const char* file : {"README.md", "CONTRIBUTING.md", "LICENSE"}) site.add(file);
  for (const char* folder : {"docs/guide", "docs/recipes", "docs/gallery", "docs/reference",
                             "docs/contributing", "docs/screenshots", "examples"})
    for (const auto& file : files_below(root, folder))
      if (file.extension() != ".sh") site.add(file);
  for (const char* file : {"docs/accuracy.md", "docs/performance.md", "docs/element_costs.md",
                           "docs/record.md", "docs/run.schema.json", "docs/sweep.schema.json"})
    site.add(file);
  site.finish();
  return broken_links > 0 ? 1 : 0;
}
