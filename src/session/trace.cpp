#include "session/trace.h"

#include <fmt/format.h>

#include <filesystem>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/text.h"
#include "files/digest.h"
#include "files/provenance.h"
#include "session/run_files.h"
#include "session/session.h"
#include "session/verify.h"

namespace quill {

namespace fs = std::filesystem;

namespace {

std::string find_script(Host& host, const Record& record, const std::string& path, const std::string& given) {
  if (!given.empty()) {
    if (const auto read = host.read_file(given); !read.ok())
      fail(fmt::format("cannot read {}: {}", given, read.reason));
    return given;
  }
  const auto folder = fs::path(path).parent_path();
  if (const fs::path name(record.script.name); name.filename() != name || name.extension() != ".eq")
    return {};
  // The record of the run contains the path of the script.
  if (const auto text = host.read_file((folder / kRecordName).string()); text.ok()) {
    try {
      const auto run = record_of(text.value, kRecordName);
      if (run.script.name == record.script.name) return script_of(host, run, folder.string());
    } catch (const Error&) { (void)0; }  // searched for otherwise
  }
  std::error_code error;
  std::vector<fs::path> folders = {fs::absolute(folder.empty() ? "." : folder, error),
                                   fs::absolute(".", error)};
  for (auto above = folders[0]; above.has_relative_path() && folders.size() < 6;)
    folders.push_back(above = above.parent_path());
  std::string other;
  for (const auto& candidate : folders) {
    const auto script = (candidate / record.script.name).string();
    const auto text = host.read_file(script);
    if (!text.ok()) continue;
    if (sha256_of(text.value) == record.script.sha256) return script;
    if (other.empty()) other = script;
  }
  return other;
}

std::string state_of(Host& host, const FileNote& file, const Folders& may_read, const std::string& path) {
  if (!file.stamp.empty()) {
    const auto there = host.open_below(may_read, path);
    if (there.is_outside) return "is outside the folder of the script";
    if (!there.ok()) return "does not exist here";
    return there.value->size() == file.size ? "read in parts; its size is unchanged" : "has changed since";
  }
  const auto read = host.read_below(may_read, path);
  if (read.is_outside) return "is outside the folder of the script";
  if (!read.ok()) return "does not exist here";
  return sha256_of(read.value) == file.sha256 ? "unchanged" : "has changed since";
}

std::string where(const LineOf& at) {
  if (at.line == 0) return "";
  return fmt::format(", {}line {}", at.file.empty() ? "" : printable(at.file) + " ", at.line);
}

}  // namespace

Traced trace(Host& host, const std::string& path, const std::string& script, const Folders& also_read) {
  const auto bytes = host.read_file(path);
  if (!bytes.ok()) fail(fmt::format("cannot read {}: {}", path, bytes.reason));
  const auto line = provenance_in(bytes.value);
  if (!line)
    fail(fmt::format("{} does not contain its provenance", path),
         "figures of a script contain their provenance, and files written with save(…, provenance: true)");
  Traced out;
  out.record = record_of_provenance(*line, path);
  const auto& r = out.record;
  out.script_path = find_script(host, r, path, script);
  const auto& file = r.written[0];
  std::string text = fmt::format("{}: made by eager-quill {}\n", printable(path), printable(r.version));
  const auto add = [&](std::string_view what, const std::string& value) {
    text += fmt::format("  {}{}\n", pad_right(what, 11), printable(value));
  };
  const auto full = [](const FileNote& f) { return fmt::format("SHA-256 {}", f.sha256); };
  add("written", fmt::format("as {}{}", file.name, where(file.at)));
  const auto folder = fs::path(out.script_path).parent_path().string();
  auto may_read = also_read;
  may_read.push_back(folder);
  may_read.emplace_back("");
  const auto state =
      out.script_path.empty() ? "does not exist here" : state_of(host, r.script, may_read, out.script_path);
  add("script", fmt::format("{}: {}{}", r.script.name, state,
                            out.script_path.empty() ? "" : fmt::format(" ({})", out.script_path)));
  add("", full(r.script));
  const auto add_file = [&](std::string_view role, const FileNote& f) {
    add(role, fmt::format("{}{}: {}", f.name, where(f.at),
                          out.script_path.empty() ? "does not exist here"
                                                  : state_of(host, f, may_read, path_below(folder, f.name))));
    add("", full(f));
  };
  for (const auto& used : r.used) add_file("uses", used);
  for (const auto& read : r.read) add_file("input", read);
  for (const auto& input : r.inputs)
    add("parameter",
        fmt::format("{} = {}{}", input.name, input.value, input.from == "default" ? " (the default)" : ""));
  add("seed", fmt::format("{}", r.seed));
  if (!r.section.empty()) add("section", fmt::format("up to the end of \"{}\"", r.section));
  out.text = std::move(text);
  return out;
}

std::string prov_json(const Record& record) {
  using Json = nlohmann::ordered_json;
  Json j;
  j["prefix"] = Json{{"eq", "urn:eager-quill:"}, {"xsd", "http://www.w3.org/2001/XMLSchema#"}};
  auto& entities = j["entity"] = Json::object();
  const std::string run = "eq:run";
  Json used = Json::object(), made = Json::object();
  const auto entity = [&](const FileNote& file, const char* type) {
    auto id = "eq:sha256:" + (file.sha256.empty() ? file.name : file.sha256);
    auto& e = entities[id];
    e["prov:label"] = file.name;
    e["prov:type"] = type;
    if (!file.sha256.empty()) e["eq:sha256"] = file.sha256;
    if (file.size > 0) e["eq:size"] = Json{{"$", std::to_string(file.size)}, {"type", "xsd:unsignedLong"}};
    return id;
  };
  const auto use = [&](const FileNote& file, const char* type) {
    used[fmt::format("_:used{}", used.size() + 1)] =
        Json{{"prov:activity", run}, {"prov:entity", entity(file, type)}};
  };
  use(record.script, "eq:Script");
  for (const auto& file : record.used) use(file, "eq:Script");
  for (const auto& file : record.read) use(file, "eq:Input");
  for (const auto& file : record.written)
    made[fmt::format("_:made{}", made.size() + 1)] =
        Json{{"prov:entity", entity(file, "eq:Result")}, {"prov:activity", run}};
  auto& activity = j["activity"][run];
  activity["prov:label"] = "run of " + record.script.name;
  activity["eq:seed"] = std::to_string(record.seed);
  for (const auto& input : record.inputs) activity["eq:parameter:" + input.name] = input.value;
  if (!record.environment.began.empty()) activity["prov:startTime"] = record.environment.began + "Z";
  j["used"] = std::move(used);
  j["wasGeneratedBy"] = std::move(made);
  j["agent"]["eq:program"] =
      Json{{"prov:type", "prov:SoftwareAgent"}, {"prov:label", "eager-quill " + record.version}};
  j["wasAssociatedWith"]["_:by"] = Json{{"prov:activity", run}, {"prov:agent", "eq:program"}};
  return j.dump(1, ' ', false, Json::error_handler_t::replace) + "\n";
}

}  // namespace quill
