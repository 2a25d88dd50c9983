#include "app/options.h"

#include <fmt/format.h>

#include <algorithm>
#include <boost/program_options.hpp>
#include <optional>
#include <sstream>

#include "base/number.h"
#include "base/text.h"

namespace quill {

namespace po = boost::program_options;

namespace {

struct Command {
  const char* name;
  const char* usage;
  const char* about;
  bool built;
};

// One row a command: dispatch, help and the hint for misspelt ones read it.
constexpr Command kCommands[] = {
    {"run", "run SCRIPT [options]", "runs a script; prints values, writes figures and files", true},
    {"eval", "eval 'EXPRESSION'", "evaluates an expression and prints its value", true},
    {"help", "help [NAME]", "the built-ins; help --search WORD finds them by their text", true},
    {"report", "", "", false},
    {"verify", "", "", false},
    {"trace", "", "", false},
    {"check", "", "", false},
    {"demo", "", "", false},
};

po::options_description options_of(const std::string& command) {
  po::options_description options("options");
  auto add = options.add_options();
  add("help,h", "tells how to use the command");
  if (command == "run" || command.empty()) {
    add("out", po::value<std::string>(), "folder for figures and files (default: out)");
    add("seed", po::value<std::string>(), "seed of the random numbers (default: 1)");
  }
  if (command != "help")
    add("memory", po::value<std::string>(),
        "ceiling for arrays, as 500MB or 4GB (default: three quarters of the machine's memory)");
  if (command == "run") {
    add("set", po::value<std::vector<std::string>>()->composing(),
        "name=value: an input of the script, a literal of the language; may stand several times");
    add("section", po::value<std::string>(), "title of a section: runs the script up to its end");
    add("quiet", "tells neither warnings nor paths of files");
  }
  if (command == "help")
    add("search", po::value<std::string>(), "lists the built-ins whose help holds a word");
  if (command.empty()) add("version", "tells the version");
  return options;
}

std::string usage_of(const Command* command) {
  std::ostringstream out;
  if (command) {
    out << "usage: eager-quill " << command->usage << "\n  " << command->about << "\n\n"
        << options_of(command->name);
    return out.str();
  }
  out << "Eager Quill: vectorized array scripts, numerics and figures.\n\nusage: eager-quill [options]       "
         "       the interactive prompt\n";
  for (const auto& c : kCommands)
    if (c.built) out << "       eager-quill " << pad_right(c.usage, 27) << c.about << "\n";
  out << "\n"
      << options_of("")
      << "\nEvery command has --help. Exit status: 0 success, 1 a script failed, 2 wrong usage.\n";
  return out.str();
}

CommandLine wrong(std::string message, const std::string& command) {
  CommandLine line;
  line.status = 2;
  line.message = fmt::format("error: {}; eager-quill {}--help tells how to use it\n", message,
                             command.empty() ? "" : command + " ");
  return line;
}

// An expression may start with a minus sign; everything from it on is no option.
std::vector<std::string> protect_expression(std::vector<std::string> words) {
  for (std::size_t k = 0; k < words.size(); ++k) {
    const auto& w = words[k];
    if (w == "--") return words;
    const bool option = w.starts_with("--") || w == "-h";
    if (!option) {
      words.insert(words.begin() + static_cast<std::ptrdiff_t>(k), "--");
      return words;
    }
  }
  return words;
}

// "500MB", "4GB", "1.5GB", "2000000"
std::optional<std::int64_t> bytes_of(const std::string& text) {
  const auto unit = text.find_first_not_of("0123456789.");
  const auto number = parse_number(std::string_view(text).substr(0, unit));
  if (!number) return std::nullopt;
  const auto name = unit == std::string::npos ? "" : text.substr(unit);
  for (const auto& [known, factor] :
       {std::pair("", 1.0), {"kB", 1e3}, {"MB", 1e6}, {"GB", 1e9}, {"TB", 1e12}})
    if (name == known && *number * factor >= 1 && *number * factor < 1e18)
      return static_cast<std::int64_t>(*number * factor);
  return std::nullopt;
}

}  // namespace

CommandLine parse_command_line(int count, const char* const* arguments) {
  std::vector<std::string> words(arguments + std::min(count, 1), arguments + count);
  CommandLine line;
  const Command* command = nullptr;
  if (!words.empty() && !words[0].starts_with('-')) {
    std::vector<std::string> known;
    for (const auto& c : kCommands) {
      if (words[0] == c.name) command = &c;
      if (c.built) known.emplace_back(c.name);
    }
    if (!command) {
      const auto near = nearest_name(words[0], known);
      const bool script = words[0].ends_with(".eq");
      return wrong(fmt::format("there is no command `{}`{}", words[0],
                               script         ? fmt::format(" (did you mean: eager-quill run {}?)", words[0])
                               : near.empty() ? ""
                                              : fmt::format(" (did you mean {}?)", near)),
                   "");
    }
    if (!command->built) return wrong(fmt::format("the command `{}` is not built yet", command->name), "");
    words.erase(words.begin());
  }
  const std::string name = command ? command->name : "";
  if (name == "eval") words = protect_expression(std::move(words));
  auto options = options_of(name);
  po::options_description all;
  all.add(options).add_options()("subject", po::value<std::vector<std::string>>());
  po::positional_options_description positional;
  positional.add("subject", -1);
  po::variables_map map;
  try {
    namespace style = po::command_line_style;
    const int strict = style::unix_style & ~style::allow_guessing;
    po::store(po::command_line_parser(words).options(all).positional(positional).style(strict).run(), map);
  } catch (const po::error& error) { return wrong(error.what(), name); }
  if (map.count("help")) {
    line.printed = usage_of(command);
    return line;
  }
  if (map.count("version")) {
    line.printed = "eager-quill " QUILL_VERSION "\n";
    return line;
  }
  const auto subjects =
      map.count("subject") ? map["subject"].as<std::vector<std::string>>() : std::vector<std::string>{};
  if (subjects.size() > 1)
    return wrong(fmt::format("one {} at a time, and there are {}",
                             name == "run"    ? "script"
                             : name == "eval" ? "expression"
                                              : "name",
                             subjects.size()),
                 name);
  if (subjects.empty() && (name == "run" || name == "eval"))
    return wrong(name == "run" ? "`run` needs a script" : "`eval` needs an expression", name);
  if (!subjects.empty()) line.subject = subjects[0];
  if (map.count("out")) line.out = map["out"].as<std::string>();
  if (map.count("search")) line.search = map["search"].as<std::string>();
  if (map.count("seed")) {
    const auto& text = map["seed"].as<std::string>();
    if (text.empty() || text.size() > 19 || text.find_first_not_of("0123456789") != std::string::npos)
      return wrong(fmt::format("--seed takes a whole number from 0, not `{}`", text), name);
    line.seed = std::stoull(text);
  }
  if (map.count("section")) line.section = map["section"].as<std::string>();
  if (map.count("memory")) {
    const auto& text = map["memory"].as<std::string>();
    const auto bytes = bytes_of(text);
    if (!bytes) return wrong(fmt::format("--memory takes a size like 500MB or 4GB, not `{}`", text), name);
    line.memory = *bytes;
  }
  if (map.count("set"))
    for (const auto& text : map["set"].as<std::vector<std::string>>()) {
      const auto at = text.find('=');
      if (at == std::string::npos || at == 0)
        return wrong(fmt::format("--set takes name=value, not `{}`", text), name);
      line.inputs.emplace_back(text.substr(0, at), text.substr(at + 1));
    }
  line.quiet = map.count("quiet") > 0;
  line.command = name.empty() ? "prompt" : name;
  return line;
}

}  // namespace quill
