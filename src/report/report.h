// A run as something to read: prose, code, what came out, figures, checks, the record.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "figure/model.h"
#include "session/session.h"

namespace quill {

struct ReportPart {
  enum class Kind : std::uint8_t {
    heading,  // of a section: `text`
    prose,    // Markdown
    code,
    output,  // as printed
    table,   // `value`, below its card in `text`
    figure,
    check,  // that was met: its condition
    warning,
    error,
    note,  // timings, hints, files that were written
  } kind = Kind::code;
  std::string text;
  std::string hint{};  // of warnings and errors
  int line = 0;        // in the script
  Value value{};       // of tables
  Index rows = 0;      // of a table, that were asked for; 0: as many as there is room for
  int digits = 5;
  std::shared_ptr<const Figure> figure{};  // with
  std::string description{};               // it in words
  std::vector<std::string> files{};        // that it was written to
};

struct Report {
  std::string title;  // a heading at the beginning of the prose, or the name of the script
  std::vector<ReportPart> parts;
  Record record;
  std::string record_path;  // "" when none was written
  bool fine = false;
};

// Runs the script as `run` does, its record included. What goes wrong is reported, and stands in the report.
Report make_report(Host& host, Output& told, const SessionOptions& options, const std::string& name,
                   const std::string& text);

// One page without a network and without scripts, light and dark, for screens of any width and for paper.
// With interactive figures it has their script.
std::string html_of(const Report& report, Host& host, bool is_interactive = false);
// The same as Markdown; `folder` is where it will lie, from which pictures are seen.
std::string markdown_of(const Report& report, const std::string& folder);

}  // namespace quill
