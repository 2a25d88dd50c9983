#include "session/record.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/number.h"
#include "base/text.h"
#include "files/digest.h"
#include "files/json_text.h"
#include "session/json_whole.h"

namespace quill {

namespace {

using Json = nlohmann::ordered_json;
constexpr const char* kKind = "eager-quill run";
constexpr const char* kShown = "shown";
constexpr const char* kDigest = "sha256";  // of what stands before it but the environment
constexpr const char* kMadeBy = "eager-quill";

// Numbers without JSON notation are written as texts.
Json json_of(double x) {
  if (std::isnan(x)) return "nan";
  if (std::isinf(x)) return x > 0 ? "inf" : "-inf";
  return x;
}
double number_of(const Json& j) {
  if (j.is_number()) return j.get<double>();
  const auto text = j.get<std::string>();
  if (text == "nan") return std::numeric_limits<double>::quiet_NaN();
  if (text == "inf" || text == "-inf")
    return (text == "inf" ? 1 : -1) * std::numeric_limits<double>::infinity();
  throw std::runtime_error(fmt::format("\"{}\" among numbers", text));
}

template <class Item>
std::vector<Item> items_of(const Json& list, Item (*read)(const Json&)) {
  if (!list.is_array()) throw std::runtime_error("a list is missing");
  std::vector<Item> out;
  for (const auto& j : list) out.push_back(read(j));
  return out;
}

void put_line(Json& j, const LineOf& at) {
  if (!at.file.empty()) j["file"] = at.file;
  if (at.line > 0) j["line"] = at.line;
}
LineOf line_in(const Json& j) {
  return {j.value("file", ""), j.contains("line") ? whole<int>(j.at("line")) : 0};
}

Json json_of(const FileNote& file) {
  Json j;
  j["name"] = file.name;
  put_line(j, file.at);
  j["size"] = file.size;
  j["sha256"] = file.digest_so_far ? file.digest_so_far() : file.sha256;
  if (!file.stamp.empty()) j["read_in_parts"] = true;
  return j;
}
FileNote file_of(const Json& j) {
  FileNote out{j.at("name").get<std::string>(), whole<std::uint64_t>(j.at("size")),
               j.at("sha256").get<std::string>(), line_in(j)};
  if (j.value("read_in_parts", false)) out.stamp = "unknown";
  return out;
}

std::string dump(const Json& part) { return part.dump(-1, ' ', false, Json::error_handler_t::replace); }

void append_quoted(std::string& out, std::string_view text) {
  if (find_malformed(text) != text.npos) {
    out += dump(Json(text));  // replaces malformed UTF-8
    return;
  }
  out += '"';
  for (const char c : text) {
    if (c == '\n')
      out += "\\n";
    else if (c == '"' || c == '\\')
      (out += '\\') += c;
    else if (static_cast<unsigned char>(c) < 0x20)
      out += fmt::format("\\u{:04x}", c);
    else
      out += c;
  }
  out += '"';
}

// Written without a JSON tree, since there may be very many.
void append(std::string& out, const ShownNote& shown) {
  const auto field = [&out](std::string_view key, std::string_view text) {
    out += key;
    append_quoted(out, text);
  };
  field("{\"how\":", shown.how);
  if (!shown.at.file.empty()) field(",\"file\":", shown.at.file);
  if (shown.at.line > 0) (out += ",\"line\":") += std::to_string(shown.at.line);
  if (!shown.source.empty()) field(",\"source\":", shown.source);
  field(",\"type\":", shown.type);
  out += ",\"shape\":[";
  for (const auto extent : shown.shape) (out += std::to_string(extent)) += ',';
  if (!shown.shape.empty()) out.pop_back();
  out += ']';
  field(",\"digest\":", shown.digest);
  field(",\"text\":", shown.text);
  if (!shown.numbers.empty()) {
    out += shown.is_sample ? ",\"sample\":[" : ",\"numbers\":[";
    for (const double x : shown.numbers) {
      out += std::isfinite(x) ? shortest(x) : dump(json_of(x));
      out += ',';
    }
    out.back() = ']';
  }
  out += '}';
}
ShownNote shown_of(const Json& j) {
  ShownNote out{line_in(j),
                j.at("how").get<std::string>(),
                j.value("source", ""),
                j.at("type").get<std::string>(),
                items_of(j.at("shape"), whole<std::int64_t, Json>),
                j.at("digest").get<std::string>(),
                j.at("text").get<std::string>(),
                {},
                j.contains("sample")};
  for (const char* key : {"numbers", "sample"})
    if (j.contains(key))
      for (const auto& x : j.at(key)) out.numbers.push_back(number_of(x));
  return out;
}

Json json_of(const InputNote& input) {
  return Json{{"name", input.name}, {"value", input.value}, {"from", input.from}};
}
InputNote input_of(const Json& j) {
  return {j.at("name").get<std::string>(), j.at("value").get<std::string>(), j.at("from").get<std::string>()};
}

Json json_of(const CheckNote& check) {
  Json j;
  put_line(j, check.at);
  j["source"] = check.source;
  j["passed"] = check.passed;
  if (check.failed) j["failed"] = true;
  return j;
}
CheckNote check_of(const Json& j) {
  return {line_in(j), j.at("source").get<std::string>(), whole<std::int64_t>(j.at("passed")),
          j.value("failed", false)};
}

Json json_of(const WarningNote& warning) {
  Json j;
  put_line(j, warning.at);
  j["message"] = warning.message;
  j["count"] = warning.count;
  return j;
}
WarningNote warning_of(const Json& j) {
  return {line_in(j), j.at("message").get<std::string>(), whole<std::int64_t>(j.at("count"))};
}

template <class Items>
Json list_of(const Items& items) {
  Json out = Json::array();
  for (const auto& item : items) out.push_back(json_of(item));
  return out;
}
Json json_of(const Environment& c, const std::vector<SectionNote>& sections) {
  Json j;
  j["began"] = c.began;
  const auto to_microseconds = [](double s) { return std::round(s * 1e6) / 1e6; };
  j["seconds"] = to_microseconds(c.seconds);
  if (!sections.empty()) {
    auto& times = j["sections"] = Json::array();
    for (const auto& section : sections) times.push_back(to_microseconds(section.seconds));
  }
  j["machine"] = c.machine;
  j["threads"] = c.threads;
  j["folder"] = c.folder;
  j["script"] = c.script;
  j["script_from_record"] = c.script_from_record;
  j["out"] = c.out;
  if (!c.also_read.empty()) j["also_read"] = c.also_read;
  if (!c.also_write.empty()) j["also_write"] = c.also_write;
  return j;
}

// Arrays with one item a line, for readers and for comparison; everything else on one line.
std::string laid_out(const Json& j, const std::vector<ShownNote>& shown) {
  std::string out = "{\n";
  std::size_t left = j.size();
  for (const auto& [key, value] : j.items()) {
    out += fmt::format("  {}: ", dump(key));
    if (key == kShown && !shown.empty()) {
      out += "[\n";
      for (const auto& note : shown) {
        out += "    ";
        append(out, note);
        out += &note == &shown.back() ? "\n  ]" : ",\n";
      }
    } else if (value.is_array() && !value.empty()) {
      out += "[\n";
      for (std::size_t k = 0; k < value.size(); ++k)
        out += fmt::format("    {}{}\n", dump(value[k]), k + 1 < value.size() ? "," : "");
      out += "  ]";
    } else {
      out += dump(value);
    }
    out += --left > 0 ? ",\n" : "\n";
  }
  return out + "}\n";
}

// Inputs, as in the record and the provenance of files.
void put_origins(Json& j, const Record& record) {
  j["script"] = json_of(record.script);
  j["used"] = list_of(record.used);
  j["inputs"] = list_of(record.inputs);
  j["seed"] = record.seed;
  Json settings = Json::object();
  if (!record.settings.theme.empty()) settings["theme"] = record.settings.theme;
  if (record.settings.digits > 0) settings["digits"] = record.settings.digits;
  if (!record.settings.formats.empty()) settings["formats"] = record.settings.formats;
  if (!settings.empty()) j["settings"] = settings;
  if (!record.section.empty()) j["section"] = record.section;
  j["files_read"] = list_of(record.read);
}

void read_origins(const Json& j, Record& record) {
  record.script = file_of(j.at("script"));
  record.used = items_of(j.at("used"), file_of);
  record.inputs = items_of(j.at("inputs"), input_of);
  record.seed = whole<std::uint64_t>(j.at("seed"));
  if (const auto settings = j.find("settings"); settings != j.end()) {
    record.settings.theme = settings->value("theme", "");
    if (settings->contains("digits")) record.settings.digits = whole<int>(settings->at("digits"));
    record.settings.formats = settings->value("formats", std::vector<std::string>());
  }
  record.section = j.value("section", "");
  record.read = items_of(j.at("files_read"), file_of);
}

Record record_in(const Json& j) {
  Record r;
  const auto& program = j.at("program");
  r.version = program.at("version").get<std::string>();
  r.build = program.at("build").get<std::string>();
  for (const auto& [name, version] : j.at("libraries").items())
    r.libraries.emplace_back(name, version.get<std::string>());
  r.processor = j.at("processor").get<std::vector<std::string>>();
  read_origins(j, r);
  r.written = items_of(j.at("files_written"), file_of);
  r.shown = items_of(j.at(kShown), shown_of);
  r.printed_sha256 = j.at("printed_sha256").get<std::string>();
  r.checks = items_of(j.at("checks"), check_of);
  r.warnings = items_of(j.at("warnings"), warning_of);
  for (const auto& section : j.at("sections"))
    r.sections.push_back({section.at("title").get<std::string>(), line_in(section), 0});
  const auto& outcome = j.at("outcome");
  r.outcome = outcome.at("state").get<std::string>();
  r.error = outcome.value("error", "");
  r.error_at = line_in(outcome);
  // Records of form 2 call it environment.
  const auto& c = j.contains("environment") ? j.at("environment") : j.at("circumstances");
  r.environment = {c.at("began").get<std::string>(),
                   c.at("seconds").get<double>(),
                   c.at("machine").get<std::string>(),
                   c.at("folder").get<std::string>(),
                   c.at("script").get<std::string>(),
                   c.at("script_from_record").get<std::string>(),
                   c.at("out").get<std::string>(),
                   c.value("also_read", std::vector<std::string>()),
                   c.value("also_write", std::vector<std::string>()),
                   whole<int>(c.at("threads"))};
  return r;
}

}  // namespace

namespace {

// Everything but environment and software versions.
void put_run(Json& j, const Record& record) {
  put_origins(j, record);
  j["files_written"] = list_of(record.written);
  j[kShown] = Json::array();
  j["printed_sha256"] = record.printed_sha256;
  j["checks"] = list_of(record.checks);
  j["warnings"] = list_of(record.warnings);
  auto& sections = j["sections"] = Json::array();
  for (const auto& section : record.sections) {
    sections.push_back(Json{{"title", section.title}});
    put_line(sections.back(), section.at);
  }
  auto& outcome = j["outcome"] = Json{{"state", record.outcome}};
  if (!record.error.empty()) {
    outcome["error"] = record.error;
    put_line(outcome, record.error_at);
  }
}

}  // namespace

std::string digest_of_run(const Record& record) {
  Json j;
  put_run(j, record);
  return sha256_of(laid_out(j, record.shown));
}

std::string text_of(const Record& record) {
  Json j;
  j["record"] = kKind;
  j["form"] = kRecordForm;
  j["program"] = Json{{"version", record.version}, {"build", record.build}};
  j["libraries"] = Json::object();
  for (const auto& [name, version] : record.libraries) j["libraries"][name] = version;
  j["processor"] = record.processor;
  put_run(j, record);
  j[kDigest] = digest_of_run(record);
  j["environment"] = json_of(record.environment, record.sections);
  return laid_out(j, record.shown);
}

std::string provenance_of(const Record& so_far, const std::string& file, const LineOf& at) {
  Json j;
  j["made_by"] = kMadeBy;
  j["form"] = kProvenanceForm;
  j["version"] = so_far.version;
  j["name"] = file;
  put_line(j, at);
  put_origins(j, so_far);
  // ASCII survives in every format.
  return j.dump(-1, ' ', true, Json::error_handler_t::replace);
}

namespace {

// Parses and converts; errors are rephrased for users.
template <class Read>
Record checked(std::string_view text, const std::string& name, const Read& read) {
  try {
    const auto j = parsed_json(text);
    if (j.is_object() && j.contains("form") && j.at("form").is_number() &&
        j.at("form").get<double>() > kRecordForm)
      fail(fmt::format("{} was written by a newer version of the program than this one", name));
    return read(j);
  } catch (const std::exception& error) {
    if (dynamic_cast<const Error*>(&error)) throw;
    fail(fmt::format("{} is damaged: {}", name, json_fault(error)));
  }
}

}  // namespace

Record record_of(std::string_view text, const std::string& name) {
  return checked(text, name, [&](const Json& j) {
    if (!j.is_object() || !j.contains("record") || j.at("record") != kKind)
      fail(fmt::format("{} is not a record of a run", name), "eager-quill run writes one: OUT/run.json");
    auto out = record_in(j);
    if (const auto digest = j.find(kDigest); digest != j.end())
      out.is_whole = digest->get<std::string>() == digest_of_run(out);
    else if (whole<int>(j.at("form")) > 1)
      out.is_whole = false;
    return out;
  });
}

Record record_of_provenance(std::string_view line, const std::string& name) {
  return checked(line, "the provenance in " + name, [&](const Json& j) {
    if (!j.is_object() || !j.contains("made_by") || j.at("made_by") != kMadeBy)
      fail(fmt::format("{} does not contain its provenance", name));
    Record r;
    r.version = j.at("version").get<std::string>();
    read_origins(j, r);
    r.written.push_back({j.at("name").get<std::string>(), 0, "", line_in(j)});
    return r;
  });
}

}  // namespace quill
