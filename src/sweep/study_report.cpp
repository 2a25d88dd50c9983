#include "sweep/study_report.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"
#include "session/inputs.h"

namespace quill {

namespace study_report {

namespace {

constexpr int kRows = 40;  // of the table

// Escapes text from files, which must not start Markdown constructs.
std::string prose(const std::string& text) {
  std::string out;
  for (const char c : printable(text))
    out += std::string_view("\\`*_{}[]<>#$|").find(c) != std::string_view::npos ? std::string("\\") + c
                                                                                : std::string(1, c);
  return out;
}

std::string inputs_in_words(const NamedTexts& inputs) {
  std::string out;
  for (const auto& [name, literal] : inputs)
    out += fmt::format("{}{} = {}", out.empty() ? "" : ", ", name, literal);
  return out;
}

bool is_picture(const std::string& name) {
  return name.ends_with(".png") || name.ends_with(".svg") || name.ends_with(".jpg");
}

}  // namespace

}  // namespace study_report

std::string report_script_of(std::string_view record, const std::string& name, const CaseRanges& chosen) {
  using namespace study_report;
  Index done = 0, failed = 0;
  Names varied;
  std::string sections;
  std::vector<bool> is_there(chosen.size());
  const auto note = read_study_record(record, name, [&](const Case& one, const CaseResult& result) {
    ++done;
    failed += result.status != CaseStatus::ok;
    if (varied.empty())
      for (const auto& input : one.inputs) varied.push_back(input.first);
    bool is_chosen = false;
    for (std::size_t k = 0; k < chosen.size(); ++k)
      if (one.number >= chosen[k].first && one.number <= chosen[k].second) is_chosen = is_there[k] = true;
    if (!is_chosen) return;
    const auto title = fmt::format("Case {}: {}", one.number, printable(inputs_in_words(one.inputs)));
    sections += fmt::format("section {}\nrows(cases, cases.case == {})\n", literal_of(Value::text(title)),
                            one.number);
    for (const auto& [file, digest] : result.files)
      if (is_picture(file))
        sections +=
            fmt::format("#: ![{}](<{}/{}>)\n", prose(file), folder_of_case(one.number), printable(file));
  });
  for (std::size_t k = 0; k < chosen.size(); ++k)
    if (!is_there[k]) fail(fmt::format("the study has no finished case {}", chosen[k].first));
  auto out = fmt::format("#: # Parameter study of {}\n#:\n#: {} of {} cases finished{}. ",
                         printable(note.script.name), done, note.count,
                         failed > 0 ? fmt::format(", {} of them failed", failed) : "");
  if (!varied.empty()) out += fmt::format("Inputs that vary: {}. ", prose(list_in_prose(varied)));
  if (!note.setup.fixed.empty())
    out += fmt::format("Set for all cases: {}. ", prose(inputs_in_words(note.setup.fixed)));
  out +=
      fmt::format("The SHA-256 of the script begins with {}.\ncases = load(\"{}\")\nshow(cases, rows: {})\n",
                  note.script.sha256.substr(0, 12), note.table.name, kRows);
  return out + sections;
}

}  // namespace quill
