#include "app/config.h"

#include <fmt/format.h>

#include <algorithm>
#include <boost/program_options.hpp>
#include <cstdlib>
#include <sstream>

#include "base/error.h"
#include "base/number.h"
#include "base/text.h"
#include "figure/model.h"

namespace quill {

namespace po = boost::program_options;

namespace {

// Path of the settings file; "" for none. `must_be` is set if the user named it.
std::string config_path(const CommandLine& line, bool& must_be) {
  must_be = !line.config.empty();
  if (must_be) return line.config;
  const char* folder = std::getenv("XDG_CONFIG_HOME");
  if (folder && *folder == '/') return std::string(folder) + "/eager-quill/config";
  const char* home = std::getenv("HOME");
  return home && *home ? std::string(home) + "/.config/eager-quill/config" : std::string();
}

// One setting: its help, and the function that applies it and returns an error message or "".
struct Setting {
  const char* name;
  const char* about;
  std::string (*take)(CommandLine& line, const std::string& text);
};

constexpr Setting kSettings[] = {
    {"theme", "default theme of figures",
     [](CommandLine& line, const std::string& text) {
       if (!find_theme(text))
         return fmt::format("theme must be {}, not `{}`", list_in_prose(theme_names(), "or"), text);
       line.settings.theme = text;
       return std::string();
     }},
    {"digits", "number of significant digits printed",
     [](CommandLine& line, const std::string& text) {
       const auto n = parse_number(text);
       if (!n || !is_whole(*n) || *n < 1 || *n > 17)
         return fmt::format("digits must be a number from 1 to 17, not `{}`", text);
       line.settings.digits = static_cast<int>(*n);
       return std::string();
     }},
    {"formats", "default formats of figures, separated by spaces",
     [](CommandLine& line, const std::string& text) {
       std::istringstream words(text);
       const auto known = figure_formats();
       std::vector<std::string> formats;
       for (std::string word; words >> word;) {
         if (std::find(known.begin(), known.end(), word) == known.end())
           return fmt::format("formats must be {}, not `{}`", list_in_prose(known), word);
         formats.push_back(word);
       }
       if (formats.empty()) return std::string("formats must contain at least one format");
       line.settings.formats = formats;
       return std::string();
     }},
    {"threads", "number of threads",
     [](CommandLine& line, const std::string& text) {
       const auto n = parse_number(text);
       if (!n || !is_whole(*n) || *n < 1 || *n > 1024)
         return fmt::format("threads must be an integer from 1, not `{}`", text);
       if (line.threads == 0) line.threads = static_cast<int>(*n);
       return std::string();
     }},
    {"native", "machine code for loops that run often: on or off",
     [](CommandLine& line, const std::string& text) {
       if (text != "on" && text != "off") return fmt::format("native must be on or off, not `{}`", text);
       line.native = line.native && text == "on";
       return std::string();
     }},
    {"color", "auto, always or never",
     [](CommandLine& line, const std::string& text) {
       if (text != "auto" && text != "always" && text != "never")
         return fmt::format("color must be auto, always or never, not `{}`", text);
       // NO_COLOR takes precedence.
       if (line.color.empty() && (text != "always" || std::getenv("NO_COLOR") == nullptr)) line.color = text;
       return std::string();
     }},
};

}  // namespace

void read_config(Host& host, CommandLine& line) {
  if (!line.reads_config) return;
  bool must_be = false;
  const auto path = config_path(line, must_be);
  if (path.empty()) return;
  const auto text = host.read_file(path);
  if (!text.ok()) {
    if (must_be) fail(fmt::format("cannot read {}: {}", path, text.reason));
    return;
  }
  po::options_description options;
  for (const auto& setting : kSettings) options.add_options()(setting.name, po::value<std::string>());
  int number = 0;
  std::istringstream lines(text.value);
  for (std::string written; std::getline(lines, written);) {
    ++number;
    const auto setting = trim(std::string_view(written).substr(0, written.find('#')));
    if (!setting.empty() && setting.find('=') == setting.npos)
      fail(fmt::format("{}, line {}: `{}` is not a setting", path, number, printable(setting)),
           "write a setting as: theme = night");
  }
  try {
    std::istringstream stream(text.value);
    for (const auto& given : po::parse_config_file(stream, options, true).options) {
      const Setting* setting = nullptr;
      std::vector<std::string> known;
      for (const auto& s : kSettings) {
        known.emplace_back(s.name);
        if (given.string_key == s.name) setting = &s;
      }
      if (!setting)
        fail(fmt::format("{}: there is no setting `{}`", path, given.string_key),
             fmt::format("there are {}", list_in_prose(known)));
      if (const auto wrong =
              setting->take(line, given.value.empty() ? "" : std::string(trim(given.value[0])));
          !wrong.empty())
        fail(fmt::format("{}: {}", path, wrong));
    }
  } catch (const po::error&) {
    fail(fmt::format("{}: this is not a list of settings", path), "write a setting as: theme = night");
  }
}

}  // namespace quill
