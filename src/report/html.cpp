// The report as a page.
#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "base/text.h"
#include "base/time_text.h"
#include "figure/animation.h"
#include "figure/layout.h"
#include "render/animated_png.h"
#include "render/formula.h"
#include "render/page.h"
#include "render/render.h"
#include "report/code.h"
#include "report/page_style.h"
#include "report/prose.h"
#include "report/report.h"
#include "value/print_cells.h"

namespace quill {

namespace {

using Kind = ReportPart::Kind;

class Page {
 public:
  Page(const Report& report, Host& host, bool is_interactive) : report_(report), host_(host) {
    if (is_interactive && std::any_of(report.parts.begin(), report.parts.end(),
                                      [](const ReportPart& part) { return part.kind == Kind::figure; }))
      figures_ = std::make_unique<PageParts>();
  }

  std::string run() {
    for (const auto& part : report_.parts) body_ += html_of_part(part);
    const auto title = escaped_markup(printable(report_.title));
    return "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
           "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n"
           "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; " +
           (figures_ ? PageParts::policy() : "img-src data:") +
           "; style-src 'unsafe-inline'; base-uri 'none'; form-action 'none'\">\n"
           "<meta name=\"generator\" content=\"Eager Quill " QUILL_VERSION
           "\">\n"
           "<title>" +
           title + "</title>\n<style>" + kPageStyle + "</style>\n" + (figures_ ? figures_->styles() : "") +
           "</head>\n<body>\n<a class=\"skip\" href=\"#content\">To the content</a>\n<div "
           "class=\"page\">\n"
           "<header>\n<h1>" +
           title + "</h1>\n" + facts() + contents() + "</header>\n<main id=\"content\">\n" + body_ +
           "</main>\n" + record() + "</div>\n" + (figures_ ? PageParts::script() : "") + "</body>\n</html>\n";
  }

 private:
  std::string facts() const {
    const auto count = [&](Kind kind) {
      return std::count_if(report_.parts.begin(), report_.parts.end(),
                           [kind](const auto& p) { return p.kind == kind; });
    };
    std::vector<std::string> facts;
    const auto add = [&](std::ptrdiff_t n, const char* what, const char* rest) {
      if (n > 0) facts.push_back(fmt::format("{} {}{}{}", n, what, n == 1 ? "" : "s", rest));
    };
    add(count(Kind::figure), "figure", "");
    std::int64_t checks = 0;
    for (const auto& check : report_.record.checks) checks += check.passed;
    add(static_cast<std::ptrdiff_t>(checks), "check", " passed");
    add(count(Kind::warning), "warning", "");
    add(count(Kind::error), "error", "");
    return fmt::format("<p class=\"facts\">Run of <span class=\"mono\">{}</span>{}{}.</p>\n",
                       escaped_markup(printable(report_.record.script.name)), facts.empty() ? "" : ": ",
                       fmt::format("{}", fmt::join(facts, ", ")));
  }

  std::string contents() const {
    std::string out;
    int k = 0;
    for (const auto& part : report_.parts)
      if (part.kind == Kind::heading)
        out += fmt::format("<li><a href=\"#section-{}\">{}</a></li>\n", ++k,
                           escaped_markup(printable(part.text)));
    return out.empty() ? out
                       : "<nav aria-label=\"Contents\">\n<p>Contents</p>\n<ol>\n" + out +
                             "<li><a href=\"#record\">Record of the run</a></li>\n</ol>\n</nav>\n";
  }

  std::string html_of_part(const ReportPart& part) {
    switch (part.kind) {
      case Kind::heading:
        last_level_ = 2;
        return fmt::format("<h2 id=\"section-{}\">{}</h2>\n", ++sections_,
                           escaped_markup(printable(part.text)));
      case Kind::prose:
        return html_of_prose(
            part.text, {sections_ > 0 ? 3 : 2, [this](const std::string& file) { return picture(file); }},
            last_level_);
      case Kind::code:
        return scrolled("code", fmt::format("Script from line {}", part.line), highlighted(part.text));
      case Kind::output: return output(part);
      case Kind::table: return table(part);
      case Kind::figure: return figure(part);
      case Kind::check:
        return message("check", "✓ passed:", "<code>" + escaped_markup(printed(part.text)) + "</code>");
      case Kind::warning:
        return message("warning", "Warning:",
                       escaped_markup(printed(part.text)) +
                           (part.hint.empty() ? "" : "\nHint: " + escaped_markup(printed(part.hint))));
      case Kind::error: return message("error", "", escaped_markup(printed(part.text)));
      case Kind::note: return fmt::format("<p class=\"note\">{}</p>\n", escaped_markup(printed(part.text)));
    }
    return {};
  }

  // Makes control characters visible, except line ends.
  static std::string printed(const std::string& text) {
    std::string out;
    for (std::size_t at = 0; at <= text.size();) {
      const auto end = std::min(text.find('\n', at), text.size());
      out += (at > 0 ? "\n" : "") + printable(std::string_view(text).substr(at, end - at));
      at = end + 1;
    }
    return out;
  }

  // Content wider than the page scrolls, also by keyboard.
  static std::string scrolled(const char* kind, const std::string& label, const std::string& html) {
    return fmt::format("<pre class=\"{}\" tabindex=\"0\" role=\"region\" aria-label=\"{}\">{}</pre>\n", kind,
                       escaped_markup(label), html);
  }

  static std::string message(const char* kind, const char* head, const std::string& html) {
    return fmt::format("<div class=\"message {}\">{}{}</div>\n", kind,
                       *head ? fmt::format("<b>{}</b> ", head) : std::string(), html);
  }

  static std::string output(const ReportPart& part) {
    constexpr std::ptrdiff_t most_open = 80, first = 40;
    const auto text = printed(part.text);
    const auto label = fmt::format("Output at line {}", part.line);
    const auto lines = std::count(text.begin(), text.end(), '\n');
    if (lines <= most_open) return scrolled("output", label, escaped_markup(text));
    std::size_t at = 0;
    for (std::ptrdiff_t k = 0; k < first; ++k) at = text.find('\n', at) + 1;
    return scrolled("output", label, escaped_markup(text.substr(0, at))) +
           fmt::format("<details><summary>{} more lines</summary>\n{}</details>\n", lines - first,
                       scrolled("output", label + ", the rest", escaped_markup(text.substr(at))));
  }

  std::string table(const ReportPart& part) {
    constexpr Index most_open = 12, most = 2000;
    const auto& record = part.value.object<RecordObject>();
    const auto length = shape_of(record.fields[0].second)[0];
    const auto caption = escaped_markup(printable(part.text));
    if (part.rows > 0 && length > part.rows)
      return table_of(part, part.rows, fmt::format("{}; the first {} rows", caption, part.rows));
    if (length <= most_open || part.rows > 0) return table_of(part, length, caption);
    const auto note = length > most ? fmt::format("The first {} of {} rows", most, length)
                                    : fmt::format("All {} rows", length);
    return table_of(part, 8, fmt::format("{}; the first 8 rows", caption)) +
           fmt::format("<details><summary>{}</summary>\n{}</details>\n", note,
                       table_of(part, std::min(length, most), caption));
  }

  static std::string table_of(const ReportPart& part, Index rows, const std::string& caption) {
    const auto columns = table_columns(part.value.object<RecordObject>(), rows, part.digits);
    std::string out = fmt::format(
        "<p class=\"caption\">{}</p>\n<div class=\"scroll\" tabindex=\"0\" role=\"region\" "
        "aria-label=\"{}\"><table>\n"
        "<thead><tr>",
        caption, fmt::format("Table at line {}, {} rows", part.line, rows));
    const auto side = [](const TableColumn& c) { return c.left ? " class=\"left\"" : ""; };
    for (const auto& c : columns)
      out += fmt::format(
          "<th scope=\"col\"{}>{}{}</th>", side(c), escaped_markup(c.name),
          c.unit.empty() ? "" : fmt::format("<span class=\"unit\">{}</span>", escaped_markup(c.unit)));
    out += "</tr></thead>\n<tbody>\n";
    for (std::size_t k = 0; k < static_cast<std::size_t>(rows); ++k) {
      out += "<tr>";
      for (const auto& c : columns) out += fmt::format("<td{}>{}</td>", side(c), escaped_markup(c.cells[k]));
      out += "</tr>\n";
    }
    return out + "</tbody></table></div>\n";
  }

  std::string figure(const ReportPart& part) const {
    if (part.figure->is_animated) return animated(part);
    const auto list = lay_out(*part.figure, *measurer_);
    const auto files = escaped_markup(fmt::format("{}", fmt::join(part.files, ", ")));
    if (figures_)
      return fmt::format("<figure>{}<figcaption>{}</figcaption></figure>\n",
                         figures_->figure(*part.figure, list, false), files);
    return fmt::format(
        "<figure><img src=\"{}\" alt=\"{}\" width=\"{:.0f}\" "
        "height=\"{:.0f}\">\n<figcaption>{}</figcaption></figure>\n",
        data_url(render(list, "svg", part.figure->dpi), "image/svg+xml"), escaped_markup(part.description),
        part.figure->width * 96 / 25.4, part.figure->height * 96 / 25.4, files);
  }

  // With a slider in interactive reports, otherwise as an animated picture.
  std::string animated(const ReportPart& part) const {
    const auto figure = with_common_limits(*part.figure, *measurer_);
    const auto frame = [&](std::size_t k) { return lay_out(frame_of(figure, k), *measurer_); };
    const auto files = escaped_markup(fmt::format("{}", fmt::join(part.files, ", ")));
    const auto inside =
        figures_ ? figures_->animated_figure(figure, frame, false)
                 : fmt::format(
                       "<img src=\"{}\" alt=\"{}\" width=\"{:.0f}\" height=\"{:.0f}\">\n",
                       data_url(animated_png(frame, figure.frames.size(), figure.dpi, figure.frame_rate),
                                "image/png"),
                       escaped_markup(part.description), figure.width * 96 / 25.4, figure.height * 96 / 25.4);
    return fmt::format("<figure>{}<figcaption>{}</figcaption></figure>\n", inside, files);
  }

  // A picture referenced in prose, below the folder of the script.
  std::string picture(const std::string& file) const {
    const auto dot = file.rfind('.');
    const auto ending = dot == std::string::npos ? "" : to_lower(file.substr(dot + 1));
    const char* type = ending == "png"                       ? "image/png"
                       : ending == "jpg" || ending == "jpeg" ? "image/jpeg"
                       : ending == "svg"                     ? "image/svg+xml"
                                                             : nullptr;
    if (!type) return {};
    const auto folder = std::filesystem::path(report_.record.environment.script).parent_path().string();
    const auto bytes = host_.read_below({folder.empty() ? "." : folder}, path_below(folder, file));
    return bytes.ok() ? data_url(bytes.value, type) : std::string();
  }

  std::string record() const {
    const auto& r = report_.record;
    std::string out = "<footer>\n<h2 id=\"record\">Record of the run</h2>\n<dl>\n";
    const auto row = [&](const char* name, const std::string& html) {
      if (!html.empty()) out += fmt::format("<dt>{}</dt><dd>{}</dd>\n", name, html);
    };
    const auto file = [](const FileNote& f) {
      return fmt::format("{} <span class=\"mono\">{:.16}…</span>", escaped_markup(printable(f.name)),
                         f.sha256);
    };
    const auto all = [&](const std::vector<FileNote>& notes) {
      std::vector<std::string> items;
      for (const auto& note : notes) items.push_back(file(note));
      return fmt::format("{}", fmt::join(items, "<br>"));
    };
    row("Made with", fmt::format("Eager Quill {}", escaped_markup(r.version)));
    row("Script", file(r.script));
    row("Used", all(r.used));
    row("Read", all(r.read));
    std::vector<std::string> inputs;
    for (const auto& input : r.inputs)
      inputs.push_back(
          escaped_markup(printable(fmt::format("{} = {} ({})", input.name, input.value, input.from))));
    row("Inputs", fmt::format("{}", fmt::join(inputs, "<br>")));
    row("Seed", std::to_string(r.seed));
    row("Written", all(r.written));
    row("Began", escaped_markup(r.environment.began));
    row("Took", duration_in_prose(r.environment.seconds));
    std::vector<std::string> times;
    for (const auto& section : r.sections)
      times.push_back(fmt::format("{}: {}", escaped_markup(printable(section.title)),
                                  duration_in_prose(section.seconds)));
    row("Sections", fmt::format("{}", fmt::join(times, "<br>")));
    out += "</dl>\n";
    if (!report_.record_path.empty())
      out += fmt::format(
          "<p>To re-run and compare every value and file: <code>eager-quill verify {}</code></p>\n",
          escaped_markup(printable(report_.record_path)));
    return out + "</footer>\n";
  }

  const Report& report_;
  Host& host_;
  std::unique_ptr<TextMeasurer> measurer_ = make_text_measurer();
  std::unique_ptr<PageParts> figures_;  // for interactive figures
  std::string body_;
  int sections_ = 0, last_level_ = 1;
};

}  // namespace

std::string html_of(const Report& report, Host& host, bool is_interactive) {
  return Page(report, host, is_interactive).run();
}

}  // namespace quill
