#include "session/journal.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "files/json_text.h"
#include "session/json_whole.h"

namespace quill {

namespace {

using Json = nlohmann::ordered_json;
using EventKind = JournalEvent::Kind;

constexpr std::array kKinds = {"entry", "outcome", "undo", "redo", "edit", "edited", "again", "file"};

std::string json_line(const Json& j) {
  // Entries contain only UTF-8, but the library must not throw in any case.
  return j.dump(-1, ' ', false, Json::error_handler_t::replace) + "\n";
}

}  // namespace

std::string journal_line(const JournalHead& head) {
  return json_line({{"journal", kJournalForm},
                    {"version", head.version},
                    {"began", head.began},
                    {"folder", head.folder},
                    {"out", head.out},
                    {"seed", head.seed}});
}

namespace {

using Files = std::vector<std::pair<std::string, std::string>>;

void add_files(Json& to, const char* key, const Files& files) {
  Json list = Json::array();
  for (const auto& [path, fingerprint] : files)
    list.push_back({{"path", path}, {"fingerprint", fingerprint}});
  if (!list.empty()) to[key] = list;
}

Files files_at(const Json& j, const char* key) {
  Files out;
  if (j.contains(key))
    for (const auto& file : j.at(key))
      out.emplace_back(file.at("path").get<std::string>(), file.at("fingerprint").get<std::string>());
  return out;
}

}  // namespace

std::string journal_line(const JournalEvent& event) {
  Json j = {{"event", kKinds[static_cast<std::size_t>(event.kind)]}};
  switch (event.kind) {
    case EventKind::entry:
    case EventKind::edit:
      j["number"] = event.number;
      j["text"] = event.text;
      break;
    case EventKind::outcome:
    case EventKind::edited: {
      j["failed"] = event.failed;
      if (event.interrupted) j["interrupted"] = true;
      j["seconds"] = event.seconds;
      if (!event.answers.empty()) j["answers"] = event.answers;
      if (event.time != 0) j["time"] = event.time;
      if (event.shows) j["shows"] = true;
      if (event.makes_that) j["that"] = true;
      Json given = Json::array();
      for (const auto& [name, digest, contents] : event.given)
        given.push_back({{"name", name}, {"digest", digest}, {"contents", contents}});
      if (!given.empty()) j["given"] = given;
      add_files(j, "read", event.read);
      add_files(j, "written", event.written);
      if (event.is_kept) j["kept"] = true;
      break;
    }
    case EventKind::file: add_files(j, "was", event.written); break;
    default: break;
  }
  return json_line(j);
}

namespace {

double number_at(const Json& j, const char* key) {
  const auto it = j.find(key);
  if (it == j.end()) return 0;
  if (!it->is_number()) throw std::runtime_error(fmt::format("{} is not a number", key));
  return it->get<double>();
}

JournalHead head_of(const Json& j) {
  return {j.at("version").get<std::string>(), j.at("began").get<std::string>(),
          j.at("folder").get<std::string>(), j.at("out").get<std::string>(),
          whole<std::uint64_t>(j.at("seed"))};
}

JournalEvent event_of(const Json& j) {
  const auto name = j.at("event").get<std::string>();
  JournalEvent out;
  const auto kind = std::find(kKinds.begin(), kKinds.end(), name);
  if (kind == kKinds.end()) throw std::runtime_error(fmt::format("there is no event \"{}\"", name));
  out.kind = static_cast<EventKind>(kind - kKinds.begin());
  if (out.kind == EventKind::entry || out.kind == EventKind::edit) {
    out.number = whole<int>(j.at("number"));
    out.text = j.at("text").get<std::string>();
  }
  if (out.kind == EventKind::outcome || out.kind == EventKind::edited) {
    out.failed = j.at("failed").get<bool>();
    out.interrupted = j.value("interrupted", false);
    out.seconds = number_at(j, "seconds");
    out.time = number_at(j, "time");
    out.shows = j.value("shows", false);
    out.makes_that = j.value("that", false);
    if (j.contains("answers")) out.answers = j.at("answers").get<std::vector<std::string>>();
    if (j.contains("given"))
      for (const auto& given : j.at("given"))
        out.given.push_back({given.at("name").get<std::string>(), given.at("digest").get<std::string>(),
                             given.at("contents").get<std::string>()});
    out.read = files_at(j, "read");
    out.written = files_at(j, "written");
    out.is_kept = j.value("kept", false);
  }
  if (out.kind == EventKind::file) out.written = files_at(j, "was");
  return out;
}

}  // namespace

Journal read_journal(const std::string& text, const std::string& name) {
  Journal out;
  out.read = text.size();
  int line = 0;
  for (std::size_t at = 0; at < text.size();) {
    const auto end = text.find('\n', at);
    if (end == std::string::npos) {  // the program ended while it wrote the line
      out.is_torn = true;
      break;
    }
    ++line;
    try {
      const auto j = parsed_json(std::string_view(text).substr(at, end - at));
      if (line == 1) {
        const auto form = whole<int>(j.at("journal"));
        if (form > kJournalForm)
          fail(fmt::format("{} was written by a newer version of the program (format {}; this one reads {})",
                           name, form, kJournalForm));
        out.head = head_of(j);
      } else {
        out.events.push_back(event_of(j));
      }
    } catch (const Error&) { throw; } catch (const std::exception&) {
      if (line == 1) fail(fmt::format("{} is not a journal of a session", name));
      out.damage = fmt::format("line {} is damaged", line);
      break;
    }
    at = end + 1;
    out.size = at;
  }
  if (line == 0) fail(fmt::format("{} is not a journal of a session", name));
  return out;
}

}  // namespace quill
