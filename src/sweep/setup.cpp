#include "sweep/setup.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "files/digest.h"
#include "files/json_text.h"

namespace quill {

namespace sweep_setup {

namespace {

using Json = nlohmann::ordered_json;

Json shared_json(const Setup& s) {
  Json j;
  j["fixed"] = s.fixed;
  j["collect"] = s.collect;
  j["section"] = s.section;
  j["theme"] = s.settings.theme;
  j["digits"] = s.settings.digits;
  j["formats"] = s.settings.formats;
  return j;
}

std::string dumped(const Json& j) { return j.dump(-1, ' ', false, Json::error_handler_t::replace); }

}  // namespace

}  // namespace sweep_setup

std::string Setup::digest() const {
  auto j = sweep_setup::shared_json(*this);
  j["version"] = QUILL_VERSION;
  j["script"] = sha256_of(script_text);
  j["keeps"] = keeps;
  return sha256_of(sweep_setup::dumped(j));
}

SessionOptions options_of(const Setup& setup, const Case& one, const std::string& out) {
  SessionOptions options;
  options.out_folder = out;
  options.script_folder = std::filesystem::path(setup.script).parent_path().string();
  options.script_path = setup.script;
  options.inputs = setup.fixed;
  options.inputs.insert(options.inputs.end(), one.inputs.begin(), one.inputs.end());
  const auto is_now = [](const auto& input) { return input.first == kNow; };
  if (std::none_of(options.inputs.begin(), options.inputs.end(), is_now))
    options.inputs.emplace_back(kNow, "\"" + setup.now + "\"");
  if (!setup.stands_for.empty())
    options.stands_for = (std::filesystem::path(setup.stands_for) / folder_of_case(one.number)).string();
  options.seed = one.seed;
  options.last_section = setup.section;
  options.also_read = setup.also_read;
  options.also_write = setup.also_write;
  options.settings = setup.settings;
  options.keeps = Keeps::everything;
  options.native = setup.native ? default_native_use() : NativeUse::off;
  return options;
}

std::string key_of(const std::string& setup_digest, const Case& one) {
  std::string text = setup_digest;
  for (const auto& [name, literal] : one.inputs) {
    text += '\0';
    text += name;
    text += '\0';
    text += literal;
  }
  text += fmt::format("\n{}", one.seed);
  return sha256_of(text).substr(0, 32);
}

std::string folder_of_case(Index number) {
  return fmt::format("cases/{:03}/{:06}", (number - 1) / 1000, number);
}

std::string line_of(const Setup& s) {
  auto j = sweep_setup::shared_json(s);
  j["script"] = s.script;
  j["text"] = s.script_text;
  j["now"] = s.now;
  j["folder"] = s.folder;
  j["stands_for"] = s.stands_for;
  j["keeps"] = s.keeps;
  j["memory"] = s.memory;
  j["threads"] = s.threads;
  j["also_read"] = s.also_read;
  j["also_write"] = s.also_write;
  j["native"] = s.native;
  return sweep_setup::dumped(j);
}

Setup setup_of(std::string_view line) {
  const auto j = parsed_json(line);
  Setup s;
  s.script = j.at("script").get<std::string>();
  s.script_text = j.at("text").get<std::string>();
  s.fixed = j.at("fixed").get<NamedTexts>();
  s.now = j.at("now").get<std::string>();
  s.collect = j.at("collect").get<Names>();
  s.folder = j.at("folder").get<std::string>();
  s.stands_for = j.at("stands_for").get<std::string>();
  s.keeps = j.at("keeps").get<bool>();
  s.memory = j.at("memory").get<std::int64_t>();
  s.threads = j.at("threads").get<int>();
  s.also_read = j.at("also_read").get<Names>();
  s.also_write = j.at("also_write").get<Names>();
  s.settings = {j.at("theme").get<std::string>(), j.at("digits").get<int>(), j.at("formats").get<Names>()};
  s.section = j.at("section").get<std::string>();
  s.native = j.at("native").get<bool>();
  return s;
}

}  // namespace quill
