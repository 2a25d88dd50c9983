#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"
#include "builtins/tables.h"
#include "value/arguments.h"
#include "value/print.h"

namespace quill {

const Registry& builtins() {
  static const Registry registry = [] {
    std::vector<Builtin> all;
    for (auto* table : {constant_rows,      elementwise_rows, reduction_rows,  running_rows,
                        making_rows,        shape_rows,       ordering_rows,   function_rows,
                        value_rows,         collection_rows,  column_rows,     text_rows,
                        pattern_rows,       time_rows,        linear_rows,     transform_rows,
                        interpolation_rows, scattered_rows,   integral_rows,   calculus_rows,
                        search_rows,        evolution_rows,   statistics_rows, polynomial_rows,
                        fit_rows,           random_rows,      file_rows,       layer_rows,
                        bar_layer_rows,     field_layer_rows, figure_rows,     figure_surroundings_rows,
                        output_rows})
      for (auto& row : table()) all.push_back(std::move(row));
    add_trade_words(all);
    return Registry(std::move(all));
  }();
  return registry;
}

namespace {

void add_wrapped(std::string& out, std::string_view text, std::size_t indent, int width) {
  for (const auto& line : wrap(text, static_cast<std::size_t>(std::max(20, width)) - indent))
    out += std::string(indent, ' ') + line + "\n";
}

void add_named(std::string& out, std::string_view title, std::string_view text, int width) {
  if (text.empty()) return;
  constexpr std::size_t indent = 10;
  const auto lines = wrap(text, static_cast<std::size_t>(std::max(30, width)) - indent);
  for (std::size_t k = 0; k < lines.size(); ++k)
    out += (k == 0 ? pad_right(title, indent) : std::string(indent, ' ')) + lines[k] + "\n";
}

}  // namespace

std::string help_text(const Builtin& row, int width) {
  std::string out;
  const auto call = signature_of(row);
  const auto lines = wrap(call, static_cast<std::size_t>(std::max(20, width)) - 4);
  for (std::size_t k = 0; k < lines.size(); ++k) out += (k ? "    " : "") + lines[k] + "\n";
  add_wrapped(out, row.summary, 2, width);
  if (!row.parameters.empty()) {
    out += "\n";
    std::size_t name_width = 0;
    for (const auto& p : row.parameters) name_width = std::max(name_width, display_width(p.name));
    const auto indent = name_width + 4;
    for (const auto& p : row.parameters) {
      const auto about = p.fallback.empty() || p.many ? std::string(p.about)
                                                      : fmt::format("{} (default {})", p.about, p.fallback);
      const auto text = wrap(about, static_cast<std::size_t>(std::max(30, width)) - indent);
      for (std::size_t k = 0; k < text.size(); ++k)
        out += (k == 0 ? "  " + pad_right(p.name, name_width) + "  " : std::string(indent, ' ')) + text[k] +
               "\n";
    }
  }
  out += "\n";
  add_named(out, "gives", row.returns, width);
  add_named(out, "errors", row.errors, width);
  add_named(out, "method", row.source, width);
  if (!row.example.empty()) {
    out += "\nexample\n";
    for (std::size_t at = 0; at < row.example.size();) {
      const auto end = std::min(row.example.find('\n', at), row.example.size());
      out += fmt::format("  {}\n", row.example.substr(at, end - at));
      at = end + 1;
    }
    if (!row.output.empty()) {
      out += "prints\n";
      for (std::size_t at = 0; at < row.output.size();) {
        const auto end = std::min(row.output.find('\n', at), row.output.size());
        out += fmt::format("  {}\n", row.output.substr(at, end - at));
        at = end + 1;
      }
    }
  }
  return out;
}

std::string help_of(const std::string& name, const Value& value, int width) {
  if (!value.is(Kind::function)) return card(name, value) + "\n";
  const auto& head = value.object<FunctionObject>().head;
  auto out = signature_of(head) + "\n";
  std::string_view prose = head.prose;
  for (std::size_t at = 0; at < prose.size();) {
    const auto end = std::min(prose.find('\n', at), prose.size());
    add_wrapped(out, prose.substr(at, end - at), 2, width);
    at = end + 1;
  }
  if (prose.empty())
    add_wrapped(out, "Lines that begin with #: directly above the function are its help.", 2, width);
  return out;
}

std::string help_overview(int width) {
  std::string out;
  add_wrapped(out, "The built-ins by family. `help NAME` tells about one of them.", 0, width);
  std::string_view family;
  std::string names;
  const auto flush = [&] {
    if (family.empty()) return;
    out += fmt::format("\n{}\n", family);
    add_wrapped(out, names, 2, width);
    names.clear();
  };
  std::vector<std::string_view> families;
  for (const auto& row : builtins().rows())
    if (std::find(families.begin(), families.end(), row.family) == families.end())
      families.push_back(row.family);
  for (const auto f : families) {
    family = f;
    for (const auto& row : builtins().rows())
      if (row.family == f) names += (names.empty() ? "" : " ") + std::string(row.name);
    flush();
  }
  return out;
}

std::string help_search(const std::string& word, int width) {
  std::string out;
  const auto holds = [&](std::string_view text) {
    return std::search(text.begin(), text.end(), word.begin(), word.end(),
                       [](unsigned char a, unsigned char b) { return std::tolower(a) == std::tolower(b); }) !=
           text.end();
  };
  for (const auto& row : builtins().rows()) {
    bool found = holds(row.name) || holds(row.summary) || holds(row.returns) || holds(row.family) ||
                 holds(row.source) || holds(row.words);
    for (const auto& p : row.parameters) found = found || holds(p.name) || holds(p.about);
    if (!found) continue;
    constexpr std::size_t indent = 18;
    const auto lines = wrap(row.summary, static_cast<std::size_t>(std::max(40, width)) - indent);
    for (std::size_t k = 0; k < lines.size(); ++k)
      out += (k == 0 ? pad_right(row.name, indent - 1) + " " : std::string(indent, ' ')) + lines[k] + "\n";
  }
  return out;
}

}  // namespace quill
