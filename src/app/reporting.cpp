#include "app/reporting.h"

#include <fmt/format.h>

#include <filesystem>

#include "app/commands.h"
#include "report/report.h"
#include "sweep/study_report.h"

namespace quill {

int write_report(Host& host, TextOutput& output, const SessionOptions& options, const std::string& name,
                 const std::string& text, const std::string& path, bool is_interactive) {
  const bool is_page = path.ends_with(".html") || path.ends_with(".htm");
  if (!is_page && !path.ends_with(".md"))
    return fail_usage(
        output, fmt::format("the report must end in .html or .md, not {}\n  hint: {}.html, or .md", path,
                            std::filesystem::path(path).stem().string()));
  if (is_interactive && !is_page)
    return fail_usage(output, fmt::format("interactive figures need .html, and {} is Markdown", path));
  const auto report = make_report(host, output, options, name, text);
  const auto bytes = is_page ? html_of(report, host, is_interactive)
                             : markdown_of(report, std::filesystem::path(path).parent_path().string());
  const auto written = host.write_file(path, bytes);
  if (!written.ok()) {
    output.message(fmt::format("error: cannot write {}: {}\n", path, written.reason));
    return 1;
  }
  output.tell(FileWritten{path});
  return report.fine ? 0 : 1;
}

namespace {

int report_study(RealHost& host, TextOutput& output, const CommandLine& line, const std::string& path) {
  const auto record = host.read_file(path);
  if (!record.ok()) return fail_file(output, fmt::format("cannot read {}: {}", path, record.reason));
  CaseRanges chosen;
  if (!line.study.numbers.empty()) chosen = ranges_in(line.study.numbers);
  SessionOptions options;
  options.script_folder = std::filesystem::path(path).parent_path().string();
  options.script_path = path;
  options.out_folder = options.script_folder;
  options.settings = line.settings;
  options.keeps = Keeps::origins;
  const auto name = std::filesystem::absolute(options.script_folder).lexically_normal().filename().string();
  return write_report(host, output, options, name, report_script_of(record.value, path, chosen),
                      line.file.empty() ? name + ".html" : line.file, line.is_interactive);
}

}  // namespace

int report_script(RealHost& host, TextOutput& output, const CommandLine& line) {
  if (const auto study = std::filesystem::path(line.subject) / kStudyName; std::filesystem::exists(study))
    return report_study(host, output, line, study.string());
  const auto text = script_text(host, output, line);
  if (!text) return 1;
  auto options = options_of(line);
  options.keeps = line.record ? Keeps::everything : Keeps::origins;
  options.script_path = line.subject;
  const std::filesystem::path script(line.subject == "-" ? "report.eq" : line.subject);
  if (line.subject != "-") options.script_folder = script.parent_path().string();
  return write_report(host, output, options,
                      line.subject == "-" ? "standard input" : script.filename().string(), *text,
                      line.file.empty() ? script.stem().string() + ".html" : line.file, line.is_interactive);
}

}  // namespace quill
