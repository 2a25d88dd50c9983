#include "sweep/case.h"

#include <fmt/format.h>

#include <array>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "files/json_text.h"
#include "session/json_whole.h"

namespace quill {

namespace sweep_case {

namespace {

using Json = nlohmann::ordered_json;

constexpr std::array<std::string_view, 3> kStatuses = {"ok", "failed", "limit"};

std::string line_of_json(const Json& j) { return j.dump(-1, ' ', false, Json::error_handler_t::replace); }

Json json_of(const NamedTexts& items) {
  Json out = Json::array();
  for (const auto& [name, text] : items) out.push_back({name, text});
  return out;
}

NamedTexts texts_in(const Json& j) {
  NamedTexts out;
  for (const auto& item : j) out.emplace_back(item.at(0).get<std::string>(), item.at(1).get<std::string>());
  return out;
}

template <class Read>
auto checked(std::string_view line, const Read& read) {
  try {
    return read(parsed_json(line));
  } catch (const Error&) { throw; } catch (const std::exception& error) {
    fail(fmt::format("a case is damaged: {}", json_fault(error)));
  }
}

}  // namespace

}  // namespace sweep_case

std::string_view name_of(CaseStatus status) {
  return sweep_case::kStatuses[static_cast<std::size_t>(status)];
}

std::string line_of(const Case& one) {
  using namespace sweep_case;
  return line_of_json({{"case", one.number}, {"inputs", json_of(one.inputs)}, {"seed", one.seed}});
}

Case case_of(std::string_view line) {
  using namespace sweep_case;
  return checked(line, [](const Json& j) {
    return Case{whole<Index>(j.at("case")), texts_in(j.at("inputs")), whole<std::uint64_t>(j.at("seed"))};
  });
}

std::string line_of(const CaseResult& r) {
  using namespace sweep_case;
  Json j = {{"case", r.number}, {"key", r.key}, {"status", name_of(r.status)}};
  if (!r.message.empty()) j["message"] = r.message;
  if (!r.values.empty()) {
    auto& values = j["values"] = Json::array();
    for (const auto& v : r.values) values.push_back({v.name, v.unit, v.field});
  }
  j["record"] = r.digest;
  if (!r.files.empty()) j["files"] = json_of(r.files);
  if (!r.sources.empty()) j["sources"] = json_of(r.sources);
  j["seconds"] = r.seconds;
  j["host"] = r.host;
  if (r.tries != 1) j["tries"] = r.tries;
  return line_of_json(j);
}

CaseResult result_of(std::string_view line) {
  using namespace sweep_case;
  return checked(line, [](const Json& j) {
    CaseResult r;
    r.number = whole<Index>(j.at("case"));
    r.key = j.at("key").get<std::string>();
    const auto status = j.at("status").get<std::string>();
    const auto found = std::find(kStatuses.begin(), kStatuses.end(), status);
    if (found == kStatuses.end()) fail(fmt::format("a case is damaged: the status \"{}\"", status));
    r.status = static_cast<CaseStatus>(found - kStatuses.begin());
    r.message = j.value("message", "");
    if (j.contains("values"))
      for (const auto& v : j.at("values"))
        r.values.push_back(
            {v.at(0).get<std::string>(), v.at(1).get<std::string>(), v.at(2).get<std::string>()});
    r.digest = j.at("record").get<std::string>();
    if (j.contains("files")) r.files = texts_in(j.at("files"));
    if (j.contains("sources")) r.sources = texts_in(j.at("sources"));
    r.seconds = j.at("seconds").get<double>();
    r.host = j.at("host").get<std::string>();
    r.tries = j.contains("tries") ? whole<int>(j.at("tries")) : 1;
    return r;
  });
}

}  // namespace quill
