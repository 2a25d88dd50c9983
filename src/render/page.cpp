// Tested by tests/page.
#include "render/page.h"

#include <fmt/format.h>
#include <glib.h>

#include "base/error.h"
#include "base/text.h"
#include "figure/describe.h"
#include "figure/layout.h"
#include "render/embedded_fonts.h"
#include "render/narrow.h"
#include "render/page_files.h"
#include "render/page_model.h"
#include "render/svg.h"

namespace quill {

namespace {

constexpr const char* kParts[] = {"page", "grid",  "data",      "guide",  "axis",
                                  "note", "title", "color_bar", "legend", "ends"};

bool is_under(Part part) { return part == Part::page || part == Part::grid; }

// A figure without its data, which the script draws on canvases between what lies under and over them.
class Sheets {
 public:
  Sheets(const Figure& figure, const DisplayList& list, EmbeddedFonts& fonts, std::string prefix)
      : figure_(figure), list_(list), items_({list.width, list.height}, fonts, std::move(prefix)) {}

  std::string run() {
    // Placed panels lie over the others.
    std::string out;
    std::vector<int> order;
    for (const bool placed : {false, true})
      for (std::size_t k = 0; k < figure_.panels.size(); ++k)
        if (figure_.panels[k].place.has_value() == placed) order.push_back(static_cast<int>(k));
    const auto page = elements(-1, [](Part) { return true; });
    for (const int k : order) {
      out += sheet("under", k, elements(k, is_under));
      out += fmt::format("<canvas data-panel=\"{}\" aria-hidden=\"true\"></canvas>\n", k);
      out += sheet("over", k, elements(k, [](Part part) { return !is_under(part) && part != Part::data; }));
    }
    const auto paper = fmt::format("<rect width=\"{:.2f}\" height=\"{:.2f}\" fill=\"{}\"/>\n", list_.width,
                                   list_.height, hex_of(list_.paper));
    return sheet("sheet", -1, "<defs>" + items_.definitions() + "</defs>\n" + paper + page) + out;
  }

 private:
  std::string sheet(const char* name, int panel, const std::string& content) const {
    return fmt::format("<svg class=\"{}\"{} viewBox=\"0 0 {:.2f} {:.2f}\" aria-hidden=\"true\">\n{}</svg>\n",
                       name, panel < 0 ? "" : fmt::format(" data-panel=\"{}\"", panel), list_.width,
                       list_.height, content);
  }

  // The items of a panel, in groups of one part.
  template <class Wanted>
  std::string elements(int panel, const Wanted& wanted) {
    std::string out;
    const Owner* group = nullptr;
    const auto close = [&] {
      if (group) out += items_.take_body() + "</g>\n";
      group = nullptr;
    };
    for (const auto& item : list_.items) {
      const auto& owner = item.owner;
      if (owner.panel != panel || !wanted(owner.part)) continue;
      if (!group || group->part != owner.part || group->index != owner.index) {
        close();
        out += fmt::format("<g data-part=\"{}\"", kParts[static_cast<int>(owner.part)]);
        if (owner.index >= 0) out += fmt::format(" data-index=\"{}\"", owner.index);
        out += ">\n";
        group = &owner;
      }
      items_.add(item);
    }
    close();
    return out;
  }

  const Figure& figure_;
  const DisplayList& list_;
  SvgItems items_;
};

}  // namespace

struct PageParts::Parts {
  PangoText text;
  EmbeddedFonts fonts{text};
  int figures = 0;

  // The sheets and the layout that take the place of the figure's own on a narrow screen; "" without.
  std::string narrow(const Figure& figure, const DisplayList& list, const std::string& prefix) {
    const auto changed = narrow_figure(figure, list);
    if (!changed) return {};
    try {
      const auto laid = lay_out(*changed, text);
      const auto sheets = Sheets(*changed, laid, fonts, prefix).run();
      return fmt::format(
          "<template class=\"narrow\">{}</template>\n<script class=\"narrow\" "
          "type=\"application/json\">{}</script>\n",
          sheets, page_layout(*changed, laid, text, fonts));
    } catch (const Error&) { return {}; }  // panels that have no room
  }
};

PageParts::PageParts() : parts_(std::make_unique<Parts>()) {}
PageParts::~PageParts() = default;

std::string PageParts::figure(const Figure& figure, const DisplayList& list, bool stands_alone) {
  const auto theme = theme_of(figure);
  const auto number = ++parts_->figures;
  const auto sheets = Sheets(figure, list, parts_->fonts, fmt::format("f{}", number)).run();
  // What the page says in its own words.
  for (const bool bold : {false, true})
    parts_->fonts.add(
        " !\"#$%&'()*+,-./"
        "0123456789:;<=>?@ABCDEFGHIJKLMNOPQRSTUVWXYZ[\\]^_`abcdefghijklmnopqrstuvwxyz{|}~−×…–°µ²³⁰¹⁴⁵⁶⁷⁸⁹⁻∞",
        {8, bold});
  return fmt::format(
      "<div class=\"quill-figure\" role=\"figure\" aria-label=\"{}\"{} "
      "style=\"--ink:{};--soft:{};--paper:{};--grid:{}\">\n"
      "<div class=\"stage\">\n{}</div>\n<noscript>This figure needs scripts to be drawn.</noscript>\n"
      "<script type=\"application/json\">{}</script>\n{}</div>\n",
      escaped_markup(description_of(figure)), stands_alone ? " data-fill=\"window\"" : "", hex_of(theme.ink),
      hex_of(theme.soft), hex_of(theme.paper), hex_of(theme.grid), sheets,
      page_model(figure, list, parts_->text, parts_->fonts),
      parts_->narrow(figure, list, fmt::format("n{}", number)));
}

std::string PageParts::styles() const {
  return "<style class=\"quill-fonts\">\n" + parts_->fonts.css() + svg_text_styles() + "</style>\n<style>\n" +
         std::string(kFigureStyle) + "</style>\n";
}

std::string PageParts::script() { return "<script>" + std::string(kFigureScript) + "</script>\n"; }

std::string PageParts::policy() {
  std::string bytes;
  for (std::size_t k = 0; k + 1 < kFigureScriptDigest.size(); k += 2)
    bytes += static_cast<char>(std::stoi(std::string(kFigureScriptDigest.substr(k, 2)), nullptr, 16));
  auto* text = g_base64_encode(reinterpret_cast<const guchar*>(bytes.data()), bytes.size());
  auto out = fmt::format("script-src 'sha256-{}'; font-src data:; img-src data: blob:", text);
  g_free(text);
  return out;
}

std::string render_page(const Figure& figure, const DisplayList& list) {
  PageParts parts;
  const auto body = parts.figure(figure, list, true);
  std::string title = figure.title;
  for (const auto& panel : figure.panels)
    if (title.empty()) title = panel.title;
  title = escaped_markup(printable(title.empty() ? figure.name : title));
  const auto theme = theme_of(figure);
  return fmt::format(
      "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
      "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n"
      "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; {}; style-src "
      "'unsafe-inline'; base-uri 'none'; form-action 'none'\">\n"
      "<meta name=\"generator\" content=\"Eager Quill\">\n<title>{}</title>\n{}</head>\n"
      "<body class=\"quill-page\" style=\"background:{}\">\n<main>\n<h1 "
      "class=\"quill-unseen\">{}</h1>\n{}</main>\n{}</body>\n</html>\n",
      PageParts::policy(), title, parts.styles(), hex_of(theme.paper), title, body, PageParts::script());
}

}  // namespace quill
