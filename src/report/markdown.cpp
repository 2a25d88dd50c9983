// The report as Markdown.
#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "base/text.h"
#include "report/report.h"
#include "value/print_cells.h"

namespace quill {

namespace {

using Kind = ReportPart::Kind;

// Uses a fence that does not occur in the text.
std::string fenced(const std::string& text, const char* language) {
  std::string fence = "```";
  while (text.find(fence) != std::string::npos) fence += '`';
  return fence + language + "\n" + text + (text.ends_with('\n') ? "" : "\n") + fence + "\n\n";
}

std::string cell_text(const std::string& text) {
  std::string out;
  for (const char c : std::string(trim(text))) {
    if (c == '|' || c == '\\' || c == '<' || c == '*' || c == '_' || c == '`' || c == '[') out += '\\';
    out += c;
  }
  return out;
}

std::string table(const ReportPart& part) {
  const Index most = part.rows > 0 ? part.rows : 12;
  const auto& record = part.value.object<RecordObject>();
  const auto length = shape_of(record.fields[0].second)[0];
  const auto columns = table_columns(record, most, part.digits);
  std::string out = "`" + printable(part.text) + "`\n\n|", rule = "|";
  for (const auto& c : columns) {
    out += fmt::format(" {}{} |", cell_text(c.name), c.unit.empty() ? "" : " " + cell_text(c.unit));
    rule += c.left ? " :-- |" : " --: |";
  }
  out += "\n" + rule + "\n";
  for (std::size_t k = 0; k < columns[0].cells.size(); ++k) {
    out += "|";
    for (const auto& c : columns) out += " " + cell_text(c.cells[k]) + " |";
    out += "\n";
  }
  if (length > most) out += fmt::format("\nThe first {} of {} rows.\n", most, length);
  return out + "\n";
}

std::string figure(const ReportPart& part, const std::string& folder) {
  // The first format that browsers can display.
  std::string file;
  for (const char* ending : {".png", ".svg"})
    for (const auto& path : part.files)
      if (file.empty() && path.ends_with(ending)) file = path;
  if (file.empty()) return fmt::format("*{}* ({})\n\n", part.description, fmt::join(part.files, ", "));
  namespace fs = std::filesystem;
  std::error_code error;
  const auto seen =
      fs::absolute(file, error).lexically_proximate(fs::absolute(folder.empty() ? "." : folder, error));
  auto alternative = part.description;
  std::replace(alternative.begin(), alternative.end(), ']', ')');
  std::replace(alternative.begin(), alternative.end(), '[', '(');
  return fmt::format("![{}](<{}>)\n\n", alternative, seen.string());
}

std::string text_of_part(const ReportPart& part, const std::string& folder) {
  switch (part.kind) {
    case Kind::heading: return "## " + part.text + "\n\n";
    case Kind::prose: return part.text + "\n";
    case Kind::code: return fenced(part.text, "eq");
    case Kind::output: return fenced(part.text, "");
    case Kind::table: return table(part);
    case Kind::figure: return figure(part, folder);
    case Kind::check: return fmt::format("✓ passed: `{}`\n\n", part.text);
    case Kind::warning:
      return fmt::format("**Warning:** {}{}\n\n", part.text, part.hint.empty() ? "" : " (" + part.hint + ")");
    case Kind::error: return fenced(part.text, "");
    case Kind::note: return fmt::format("*{}*\n\n", part.text);
  }
  return {};
}

}  // namespace

std::string markdown_of(const Report& report, const std::string& folder) {
  auto out = fmt::format("# {}\n\n", report.title);
  for (const auto& part : report.parts) out += text_of_part(part, folder);
  const auto& r = report.record;
  out += "## Record of the run\n\n";
  out += fmt::format("- Made with Eager Quill {}, seed {}\n- Script {}, SHA-256 `{}`\n", r.version, r.seed,
                     r.script.name, r.script.sha256);
  for (const auto& file : r.read) out += fmt::format("- Read {}, SHA-256 `{}`\n", file.name, file.sha256);
  for (const auto& input : r.inputs)
    out += fmt::format("- Input {} = `{}` ({})\n", input.name, input.value, input.from);
  for (const auto& file : r.written)
    out += fmt::format("- Written {}, SHA-256 `{}`\n", file.name, file.sha256);
  if (!report.record_path.empty())
    out += fmt::format("\nTo re-run and compare every value and file: `eager-quill verify {}`\n",
                       report.record_path);
  return out;
}

}  // namespace quill
