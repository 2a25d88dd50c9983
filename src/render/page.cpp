#include "render/page.h"

#include <fmt/format.h>
#include <glib.h>

#include <algorithm>
#include <utility>
#include <vector>

#include "base/error.h"
#include "base/interrupt.h"
#include "base/number.h"
#include "base/text.h"
#include "figure/animation.h"
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

// A figure without its data, which the script draws on canvases between lower and upper sheets.
class Sheets {
 public:
  Sheets(const Figure& figure, const DisplayList& list, EmbeddedFonts& fonts, std::string prefix)
      : figure_(figure), list_(list), items_({list.width, list.height}, fonts, std::move(prefix)) {}

  // One sheet of elements in groups of one part.
  struct Sheet {
    const char* name;
    int panel;
    std::vector<std::pair<std::string, std::string>> groups;  // prefix and content of each
    std::string content() const {
      std::string out;
      for (const auto& [begin, inside] : groups) out += begin + inside + "</g>\n";
      return out;
    }
  };

  // In the order of the page.
  std::vector<Sheet> sheets() {
    std::vector<Sheet> out = {{"sheet", -1, groups(-1, [](Part) { return true; })}};
    // Panels placed by fractions lie above the others.
    for (const bool placed : {false, true})
      for (std::size_t k = 0; k < figure_.panels.size(); ++k) {
        if (figure_.panels[k].place.has_value() != placed) continue;
        const auto panel = static_cast<int>(k);
        out.push_back({"under", panel, groups(panel, is_under)});
        out.push_back(
            {"over", panel, groups(panel, [](Part part) { return !is_under(part) && part != Part::data; })});
      }
    return out;
  }

  std::string run() { return written(sheets()); }

  std::string written(const std::vector<Sheet>& sheets) const {
    std::string out;
    for (const auto& sheet : sheets) {
      auto content = sheet.content();
      if (sheet.panel < 0)
        content = "<defs>" + items_.definitions() + "</defs>\n" +
                  fmt::format("<rect width=\"{:.2f}\" height=\"{:.2f}\" fill=\"{}\"/>\n", list_.width,
                              list_.height, hex_of(list_.paper)) +
                  content;
      const auto panel = sheet.panel < 0 ? "" : fmt::format(" data-panel=\"{}\"", sheet.panel);
      out +=
          fmt::format("<svg class=\"{}\"{} viewBox=\"0 0 {:.2f} {:.2f}\" aria-hidden=\"true\">\n{}</svg>\n",
                      sheet.name, panel, list_.width, list_.height, content);
      if (sheet.name == std::string_view("under"))
        out += fmt::format("<canvas data-panel=\"{}\" aria-hidden=\"true\"></canvas>\n", sheet.panel);
    }
    return out;
  }

  const std::string& definitions() const { return items_.definitions(); }

 private:
  template <class Wanted>
  std::vector<std::pair<std::string, std::string>> groups(int panel, const Wanted& wanted) {
    std::vector<std::pair<std::string, std::string>> out;
    const Owner* group = nullptr;
    const auto close = [&] {
      if (group) out.back().second = items_.take_body();
      group = nullptr;
    };
    for (const auto& item : list_.items) {
      const auto& owner = item.owner;
      if (owner.panel != panel || !wanted(owner.part)) continue;
      if (!group || group->part != owner.part || group->index != owner.index) {
        close();
        auto begin = fmt::format("<g data-part=\"{}\"", kParts[static_cast<int>(owner.part)]);
        if (owner.index >= 0) begin += fmt::format(" data-index=\"{}\"", owner.index);
        out.emplace_back(begin + ">\n", "");
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

  // Sheets and layout for narrow screens; "" if there is none.
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
  const auto number = ++parts_->figures;
  const auto sheets = Sheets(figure, list, parts_->fonts, fmt::format("f{}", number)).run();
  return element(figure, list, stands_alone, sheets,
                 parts_->narrow(figure, list, fmt::format("n{}", number)));
}

std::string PageParts::element(const Figure& figure, const DisplayList& list, bool stands_alone,
                               const std::string& sheets, const std::string& more) {
  const auto theme = theme_of(figure);
  // Characters of the page's own texts.
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
      page_model(figure, list, parts_->text, parts_->fonts), more);
}

namespace {

// Differences of a sheet from the first frame: groups by index, or the whole sheet if groups differ.
std::string changes_of(const Sheets::Sheet& base, const Sheets::Sheet& now) {
  const bool is_alike = base.groups.size() == now.groups.size() &&
                        std::equal(base.groups.begin(), base.groups.end(), now.groups.begin(),
                                   [](const auto& a, const auto& b) { return a.first == b.first; });
  if (!is_alike) return fmt::format("{{\"all\":{}}}", json_text(now.content()));
  std::string out;
  for (std::size_t k = 0; k < now.groups.size(); ++k)
    if (now.groups[k].second != base.groups[k].second)
      out += fmt::format("{}\"{}\":{}", out.empty() ? "" : ",", k, json_text(now.groups[k].second));
  return "{" + out + "}";
}

}  // namespace

std::string PageParts::animated_figure(const Figure& figure,
                                       const std::function<DisplayList(std::size_t)>& frame,
                                       bool stands_alone) {
  const auto prefix = fmt::format("f{}", ++parts_->figures);
  const auto count = figure.frames.size();
  FrameModels models(parts_->text, parts_->fonts);
  std::vector<Sheets::Sheet> base;
  std::string element_text, labels, frames;
  for (std::size_t k = 0; k < count; ++k) {
    poll_interrupt();
    auto one = frame_of(figure, k);
    one.page_budget /= static_cast<double>(count);
    const auto list = frame(k);
    Sheets sheets(one, list, parts_->fonts, prefix);
    const auto now = sheets.sheets();
    if (k == 0) {
      base = now;
      element_text = sheets.written(now);
    }
    std::string changes;
    for (std::size_t j = 0; j < now.size() && j < base.size(); ++j)
      changes += (changes.empty() ? "" : ",") + changes_of(base[j], now[j]);
    labels += (k ? "," : "") + json_text(printable(figure.frames[k].label));
    frames +=
        (k ? ",\n" : "") + fmt::format("{{\"sheets\":[{}],\"data\":{}}}", changes, models.frame(one, list));
    if (k + 1 == count) {
      const auto first = frame_of(figure, 0);
      auto budgeted = first;
      budgeted.page_budget /= static_cast<double>(count);
      budgeted.description = description_of(figure);
      return element(
          budgeted, frame(0), stands_alone, element_text,
          fmt::format("<script class=\"frames\" type=\"application/json\">{{\"rate\":{},\"labels\":[{}],"
                      "\"frames\":[\n{}]}}</script>\n",
                      shortest(figure.frame_rate), labels, frames));
    }
  }
  return {};
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

namespace {

std::string whole_page(const Figure& figure, const PageParts& parts, const std::string& body) {
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

}  // namespace

std::string render_page(const Figure& figure, const DisplayList& list) {
  PageParts parts;
  const auto body = parts.figure(figure, list, true);
  return whole_page(figure, parts, body);
}

std::string render_animated_page(const Figure& figure, const std::function<DisplayList(std::size_t)>& frame) {
  PageParts parts;
  const auto body = parts.animated_figure(figure, frame, true);
  return whole_page(frame_of(figure, 0), parts, body);
}

}  // namespace quill
