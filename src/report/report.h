// Report of a run: prose, code, output, figures, checks, record.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "figure/model.h"
#include "session/session.h"

namespace quill {

struct ReportPart {
  enum class Kind : std::uint8_t {
    heading,  // section heading: `text`
    prose,    // Markdown
    code,
    output,  // printed output
    table,   // `value`, with its card in `text`
    figure,
    check,  // condition of a check that was met
    warning,
    error,
    note,  // timings, hints, files written
  } kind = Kind::code;
  std::string text;
  std::string hint{};  // for warnings and errors
  int line = 0;        // in the script
  Value value{};       // for tables
  Index rows = 0;      // rows of a table to show; 0: as many as fit
  int digits = 5;
  std::shared_ptr<const Figure> figure{};  // with
  std::string description{};               // the figure in words
  std::vector<std::string> files{};        // files it was written to
};

struct Report {
  std::string title;  // first heading of the prose, or the name of the script
  std::vector<ReportPart> parts;
  Record record;
  std::string record_path;  // "" if none was written
  bool fine = false;
};

// Runs the script as `run` does, including its record. Errors are reported, and shown in the report.
Report make_report(Host& host, Output& told, const SessionOptions& options, const std::string& name,
                   const std::string& text);

// One self-contained page without scripts, for light and dark mode, any width, and print. Interactive figures
// add their script.
std::string html_of(const Report& report, Host& host, bool is_interactive = false);
// The same as Markdown; `folder` is where it will be stored, to which picture paths are relative.
std::string markdown_of(const Report& report, const std::string& folder);

}  // namespace quill
