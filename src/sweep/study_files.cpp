#include "sweep/study_files.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "base/interrupt.h"
#include "base/text.h"
#include "files/csv.h"
#include "files/digest.h"
#include "files/json_text.h"
#include "files/provenance.h"
#include "session/build_facts.h"
#include "session/json_whole.h"
#include "sweep/growing_file.h"

namespace quill {

namespace fs = std::filesystem;

namespace study_files {

namespace {

using Json = nlohmann::ordered_json;

constexpr const char* kKind = "eager-quill sweep";

std::string dumped(const Json& j) { return j.dump(-1, ' ', false, Json::error_handler_t::replace); }

template <class Visit>
void for_each_result(const Sweep& sweep, const Visit& visit) {
  for (Index number = 1; number <= sweep.counts().total; ++number)
    if (const auto result = sweep.result(number)) visit(*result);
}

// Provenance of the table.
Record origin_of(const Sweep& sweep) {
  const auto& setup = sweep.setup();
  Record record;
  record.version = QUILL_VERSION;
  record.script = {
      fs::path(setup.script).filename().string(), setup.script_text.size(), sha256_of(setup.script_text), {}};
  for (const auto& [name, literal] : setup.fixed) record.inputs.push_back({name, literal, "set"});
  record.settings = setup.settings;
  record.section = setup.section;
  return record;
}

std::string joined(const Names& fields) { return fmt::format("{}\n", fmt::join(fields, ",")); }

std::string with_unit(const std::string& name, const std::string& unit) {
  return csv_field(unit.empty() ? name : fmt::format("{} ({})", name, unit));
}

// cases.csv
class CasesTable {
 public:
  explicit CasesTable(const Sweep& sweep)
      : design_(sweep.design()), file_((fs::path(sweep.setup().folder) / kTableName).string()) {
    file_.add(provenance_comment("#", provenance_of(origin_of(sweep), kTableName, {})));
    Names header = {"case"};
    if (design_.has_repeats()) header.insert(header.end(), {"repeat", "seed"});
    for (const auto& name : design_.names()) {
      const auto& units = sweep.setup().units;
      const auto unit =
          std::find_if(units.begin(), units.end(), [&](const auto& u) { return u.first == name; });
      header.push_back(with_unit(name, unit == units.end() ? "" : unit->second));
    }
    for (const auto& [name, unit] : sweep.columns()) {
      at_.try_emplace(name, at_.size());
      header.push_back(with_unit(name, unit));
    }
    header.insert(header.end(), {"status", "message"});
    file_.add(joined(header));
  }

  void add(const CaseResult& result) {
    Names fields = {std::to_string(result.number)};
    if (design_.has_repeats()) {
      fields.push_back(std::to_string(design_.repeat_of(result.number)));
      fields.push_back(std::to_string(design_.at(result.number).seed));
    }
    for (auto& field : design_.fields(result.number)) fields.push_back(std::move(field));
    const auto values = fields.size();
    fields.resize(values + at_.size());
    for (const auto& value : result.values) fields[values + at_.at(value.name)] = value.field;
    fields.emplace_back(name_of(result.status));
    // Quoted, so that the column is read as text in every table.
    fields.push_back(result.message.empty() ? "\"\"" : csv_field(result.message));
    file_.add(joined(fields));
  }

  FileNote finish() {
    FileNote note{kTableName, file_.size(), file_.digest(), {}};
    file_.finish();
    return note;
  }

 private:
  const Design& design_;
  std::map<std::string, std::size_t> at_;  // columns of collected values
  GrowingFile file_;
};

}  // namespace

}  // namespace study_files

namespace study_files {

namespace {

Json json_of(const FileNote& file) {
  return {{"name", file.name}, {"size", file.size}, {"sha256", file.sha256}};
}

Json json_of(const NamedTexts& items) {
  Json out = Json::array();
  for (const auto& [name, text] : items) out.push_back({name, text});
  return out;
}

// Members of a JSON object without braces, to be appended to others.
std::string fields_of(const Json& j) {
  std::string out;
  for (const auto& [key, value] : j.items()) out += fmt::format("  {}: {},\n", dumped(key), dumped(value));
  return out;
}

Json design_json(const Sweep& sweep, const DesignOptions& design) {
  Json j = {{"vary", json_of(design.vary)}};
  if (!design.together.empty()) j["together"] = design.together;
  if (!design.table.empty()) j["table"] = design.table;
  if (design.samples > 0) {
    j["samples"] = design.samples;
    j["sampling"] = design.sampling;
  }
  if (design.repeats > 0) j["repeats"] = design.repeats;
  j["seed"] = design.seed;
  j["cases"] = sweep.counts().total;
  return j;
}

// A case without its environment.
std::string case_line(const Sweep& sweep, const CaseResult& result) {
  const auto one = sweep.design().at(result.number);
  Json j = {{"case", result.number},
            {"inputs", json_of(one.inputs)},
            {"seed", one.seed},
            {"status", name_of(result.status)}};
  if (!result.message.empty()) j["message"] = result.message;
  j["values"] = Json::array();
  for (const auto& v : result.values) j["values"].push_back({v.name, v.unit, v.field});
  j["record"] = result.digest;
  j["files"] = json_of(result.files);
  j["sources"] = json_of(result.sources);
  return dumped(j);
}

}  // namespace

}  // namespace study_files

namespace study_files {

namespace {

// List items, one a line.
class ListLines {
 public:
  explicit ListLines(GrowingFile& file) : file_(file) { file_.add("["); }
  void add(const std::string& item) {
    file_.add((is_first_ ? "\n    " : ",\n    ") + item);
    is_first_ = false;
  }
  void finish() { file_.add("\n  ]"); }

 private:
  GrowingFile& file_;
  bool is_first_ = true;
};

std::string heading(const Record& build) {
  Json libraries = Json::object();
  for (const auto& [name, version] : build.libraries) libraries[name] = version;
  return "{\n" + fields_of({{"record", kKind},
                            {"form", kStudyForm},
                            {"program", {{"version", build.version}, {"build", build.build}}},
                            {"libraries", libraries},
                            {"processor", build.processor}});
}

std::string what_was_asked(const Sweep& sweep, const StudyNote& note) {
  const auto& setup = sweep.setup();
  const auto& settings = setup.settings;
  return fields_of(
      {{"script", json_of(origin_of(sweep).script)},
       {"inputs", json_of(setup.fixed)},
       {"now", setup.now},
       {"design", design_json(sweep, note.design)},
       {"collect", setup.collect},
       {"section", setup.section},
       {"settings", {{"theme", settings.theme}, {"digits", settings.digits}, {"formats", settings.formats}}},
       {"keep", setup.keeps}});
}

std::string environment(const Sweep& sweep, const StudyNote& note, const Record& build) {
  const auto& setup = sweep.setup();
  std::error_code error;
  const auto from_record =
      fs::absolute(setup.script, error).lexically_proximate(fs::absolute(setup.folder, error)).string();
  return fields_of({{"began", note.began},
                    {"seconds", note.seconds},
                    {"machine", build.environment.machine},
                    {"folder", build.environment.folder},
                    {"script", setup.script},
                    {"script_from_record", from_record},
                    {"also_read", setup.also_read},
                    {"also_write", setup.also_write},
                    {"ran_on", note.ran_on},
                    {"workers", note.workers}});
}

}  // namespace

}  // namespace study_files

void write_study(const Sweep& sweep, const StudyNote& note) {
  using namespace study_files;
  Record build;
  describe_build(build);
  CasesTable table(sweep);
  GrowingFile file((fs::path(sweep.setup().folder) / kStudyName).string());
  file.add(heading(build));
  file.digest();  // restarts, so that what follows does not depend on the machine
  file.add(what_was_asked(sweep, note) + "  \"cases\": ");
  ListLines cases(file);
  for_each_result(sweep, [&](const CaseResult& result) {
    table.add(result);
    cases.add(case_line(sweep, result));
  });
  cases.finish();
  file.add(fmt::format(",\n  \"table\": {},\n", dumped(json_of(table.finish()))));
  const auto digest = file.digest();
  file.add(fmt::format("  \"sha256\": {},\n  \"environment\": {{\n", dumped(digest)));
  file.add(environment(sweep, note, build) + "  \"cases\": ");
  ListLines ran(file);
  for_each_result(sweep, [&](const CaseResult& result) {
    ran.add(dumped(Json::array({result.number, result.seconds, result.host, result.tries})));
  });
  ran.finish();
  file.add("\n  }\n}\n");
  file.finish();
}

namespace study_files {

namespace {

NamedTexts texts_in(const Json& j) {
  NamedTexts out;
  for (const auto& item : j) out.emplace_back(item.at(0).get<std::string>(), item.at(1).get<std::string>());
  return out;
}

FileNote file_in(const Json& j) {
  return {j.at("name").get<std::string>(),
          whole<std::uint64_t>(j.at("size")),
          j.at("sha256").get<std::string>(),
          {}};
}

void take_case(const Json& j, const std::function<void(const Case&, const CaseResult&)>& visit) {
  Case one{whole<Index>(j.at("case")), texts_in(j.at("inputs")), whole<std::uint64_t>(j.at("seed"))};
  auto line = j;
  line["key"] = "";
  line["seconds"] = 0;
  line["host"] = "";
  visit(one, result_of(dumped(line)));
}

// Checks the SHA-256 of the lines from "script" to the end of the cases.
bool says_what_it_holds(std::string_view text, const std::string& digest) {
  const auto begin = text.find("  \"script\": "), end = text.find("  \"sha256\": ");
  return begin != text.npos && end != text.npos && begin < end &&
         sha256_of(text.substr(begin, end - begin)) == digest;
}

}  // namespace

}  // namespace study_files

StudyRecord read_study_record(std::string_view text, const std::string& name,
                              const std::function<void(const Case&, const CaseResult&)>& visit) {
  using namespace study_files;
  try {
    // Cases are processed one by one while the text is parsed: there may be a million.
    std::string list;
    const auto pick = [&](int depth, Json::parse_event_t event, Json& parsed) {
      if (depth == 1 && event == Json::parse_event_t::key) list = parsed.get<std::string>();
      if (depth != 2 || event != Json::parse_event_t::object_end || list != "cases") return true;
      take_case(parsed, visit);
      return false;
    };
    const auto j = parsed_json(text, pick);
    if (!j.is_object() || !j.contains("record") || j.at("record") != kKind)
      fail(fmt::format("{} is not a record of a study", printable(name)),
           "eager-quill sweep writes one: STUDY/sweep.json");
    if (whole<int>(j.at("form")) > kStudyForm)
      fail(fmt::format("{} was written by a newer version of the program than this one", printable(name)));
    StudyRecord out;
    out.version = j.at("program").at("version").get<std::string>();
    out.script = file_in(j.at("script"));
    out.table = file_in(j.at("table"));
    const auto& around = j.at("environment");
    out.script_path = around.at("script").get<std::string>();
    out.script_from_record = around.at("script_from_record").get<std::string>();
    out.folder = around.at("folder").get<std::string>();
    auto& setup = out.setup;
    setup.fixed = texts_in(j.at("inputs"));
    setup.now = j.at("now").get<std::string>();
    setup.collect = j.at("collect").get<Names>();
    setup.section = j.at("section").get<std::string>();
    const auto& settings = j.at("settings");
    setup.settings = {settings.at("theme").get<std::string>(), whole<int>(settings.at("digits")),
                      settings.at("formats").get<Names>()};
    setup.keeps = j.at("keep").get<bool>();
    setup.also_read = around.at("also_read").get<Names>();
    setup.also_write = around.at("also_write").get<Names>();
    out.count = whole<Index>(j.at("design").at("cases"));
    out.is_whole = says_what_it_holds(text, j.at("sha256").get<std::string>());
    return out;
  } catch (const Error&) { throw; } catch (const std::exception& error) {
    fail(fmt::format("{} is damaged: {}", printable(name), json_fault(error)));
  }
}

}  // namespace quill
