// Help texts and the search in them, made from the registry.
#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"
#include "builtins/tables.h"
#include "value/arguments.h"
#include "value/print.h"

namespace quill {

namespace help_pages {
namespace {

void add_wrapped(std::string& out, std::string_view text, std::size_t indent, int width) {
  for (const auto& line : wrap(text, static_cast<std::size_t>(std::max(20, width)) - indent))
    out += std::string(indent, ' ') + line + "\n";
}

// A title of a fixed width and a text beside it.
void add_beside(std::string& out, std::string_view title, std::size_t indent, std::string_view text,
                int width) {
  const auto lines = wrap(text, static_cast<std::size_t>(std::max<int>(30, width)) - indent);
  for (std::size_t k = 0; k < lines.size(); ++k)
    out += (k == 0 ? pad_right(title, indent - 1) + " " : std::string(indent, ' ')) + lines[k] + "\n";
}

void add_indented(std::string& out, std::string_view title, std::string_view text) {
  if (text.empty()) return;
  out += fmt::format("\n{}\n", title);
  for (std::size_t at = 0; at < text.size();) {
    const auto end = std::min(text.find('\n', at), text.size());
    out += fmt::format("  {}\n", text.substr(at, end - at));
    at = end + 1;
  }
}

void add_parameters(std::string& out, const Builtin& row, int width) {
  std::size_t name_width = 0;
  std::vector<std::string_view> groups = {""};
  for (const auto& p : row.parameters) {
    name_width = std::max(name_width, display_width(p.name));
    if (std::find(groups.begin(), groups.end(), p.group) == groups.end()) groups.push_back(p.group);
  }
  for (const auto group : groups) {
    const auto is_in_group = [&](const Parameter& p) { return p.group == group; };
    if (std::none_of(row.parameters.begin(), row.parameters.end(), is_in_group)) continue;
    out += fmt::format("\n{}\n", group.empty() ? "Parameters" : group);
    for (const auto& p : row.parameters)
      if (is_in_group(p)) add_beside(out, "  " + std::string(p.name), name_width + 4, described(p), width);
  }
}

bool same_letter(unsigned char a, unsigned char b) { return std::tolower(a) == std::tolower(b); }

bool occurs(std::string_view word, std::string_view text) {
  return std::search(text.begin(), text.end(), word.begin(), word.end(), same_letter) != text.end();
}

// The word, or its stem: "fitting" also finds "fit", "curves" also "curve".
bool mentions(std::string_view text, std::string_view word) {
  if (occurs(word, text)) return true;
  constexpr std::size_t stem = 3;
  for (const std::string_view end : {"ation", "ing", "ed", "es", "s"})
    if (word.ends_with(end) && word.size() >= end.size() + stem &&
        occurs(word.substr(0, word.size() - end.size()), text))
      return true;
  return false;
}

std::vector<std::string_view> words_of(std::string_view text, std::string_view separators) {
  std::vector<std::string_view> out;
  for (std::size_t at = 0; at < text.size();) {
    const auto end = std::min(text.find_first_of(separators, at), text.size());
    if (end > at) out.push_back(text.substr(at, end - at));
    at = end + 1;
  }
  return out;
}

// Whether the word is one of several that are separated by spaces or underscores.
bool is_among(std::string_view word, std::string_view words) {
  const auto several = words_of(words, " _");
  return std::any_of(several.begin(), several.end(),
                     [&](std::string_view one) { return one.size() == word.size() && occurs(word, one); });
}

// A result of search: a built-in or a topic.
struct Found {
  std::string_view name, summary;
  int words = 0;  // how many of the words match
  int score = 0;
};

int score_of(std::string_view word, std::string_view name, std::string_view synonyms,
             std::string_view summary, std::string_view rest) {
  enum Score { in_rest = 1, in_summary = 8, in_synonyms = 12, synonym = 24, in_name = 30, is_name = 100 };
  if (name.size() == word.size() && occurs(word, name)) return is_name;
  int best = 0;
  if (mentions(rest, word)) best = in_rest;
  if (mentions(summary, word)) best = in_summary;
  if (mentions(synonyms, word)) best = in_synonyms;
  if (is_among(word, synonyms)) best = synonym;
  if (mentions(name, word)) best = std::max<int>(best, in_name);
  return best;
}

}  // namespace
}  // namespace help_pages

std::string help_text(const Builtin& row, int width) {
  using namespace help_pages;
  std::string out;
  const auto lines = wrap(short_signature_of(row), static_cast<std::size_t>(std::max(20, width)) - 4);
  for (std::size_t k = 0; k < lines.size(); ++k) out += (k ? "    " : "") + lines[k] + "\n";
  add_wrapped(out, row.summary, 0, width);
  if (!row.parameters.empty()) add_parameters(out, row, width);
  out += "\n";
  const auto add = [&](std::string_view title, std::string_view text) {
    if (!text.empty()) add_beside(out, title, 11, text, width);
  };
  add("Returns", row.returns);
  add("Errors", row.errors);
  add("Reference", row.source);
  std::string related;
  for (const auto name : words_of(row.see_also, " "))
    related += fmt::format("{}{}", related.empty() ? "" : ", ", name);
  add("See also", related);
  add_indented(out, "Example", row.example);
  add_indented(out, "Output", row.output);
  return out;
}

std::string help_text(const Topic& topic, int width) {
  using namespace help_pages;
  std::string out = std::string(topic.form) + "\n";
  add_wrapped(out, topic.summary, 0, width);
  add_indented(out, "Example", topic.example);
  add_indented(out, "Output", topic.output);
  return out;
}

std::string help_of(const std::string& name, const Value& value, int width) {
  using namespace help_pages;
  if (!value.is(Kind::function)) return card(name, value) + "\n";
  const auto& head = value.object<FunctionObject>().head;
  auto out = signature_of(head) + "\n";
  std::string_view prose = head.prose;
  for (std::size_t at = 0; at < prose.size();) {
    const auto end = std::min(prose.find('\n', at), prose.size());
    add_wrapped(out, prose.substr(at, end - at), 2, width);
    at = end + 1;
  }
  if (prose.empty())
    add_wrapped(out, "Lines that begin with #: directly above the function are its help.", 2, width);
  return out;
}

std::string help_overview(int width) {
  using namespace help_pages;
  std::string out;
  add_wrapped(
      out,
      "Built-ins and the language by family. `help NAME` describes one of them, `help --search WORDS` "
      "finds them by words.",
      0, width);
  std::vector<std::string_view> families;
  for (const auto& row : builtins().rows())
    if (std::find(families.begin(), families.end(), row.family) == families.end())
      families.push_back(row.family);
  const auto add = [&](std::string_view title, const std::string& names) {
    out += fmt::format("\n{}\n", title);
    add_wrapped(out, names, 2, width);
  };
  for (const auto family : families) {
    std::string names;
    for (const auto& row : builtins().rows())
      if (row.family == family) names += (names.empty() ? "" : " ") + std::string(row.name);
    add(family, names);
  }
  std::string names;
  for (const auto& topic : topics()) names += (names.empty() ? "" : " ") + std::string(topic.name);
  add("language", names);
  return out;
}

std::string help_search(const std::string& query, int width) {
  using namespace help_pages;
  const auto words = words_of(query, " _-");
  std::vector<Found> found;
  const auto consider = [&](std::string_view name, const std::string& synonyms, std::string_view summary,
                            const std::string& rest) {
    Found f{name, summary};
    for (const auto& word : words)
      if (const int score = score_of(word, name, synonyms, summary, rest)) {
        ++f.words;
        f.score += score;
      }
    if (f.words > 0) found.push_back(f);
  };
  for (const auto& row : builtins().rows()) {
    std::string rest = fmt::format("{} {} {}", row.family, row.returns, row.source);
    for (const auto& p : row.parameters) rest += fmt::format(" {} {}", p.name, p.about);
    consider(row.name, fmt::format("{} {}", row.words, row.search_words), row.summary, rest);
  }
  for (const auto& topic : topics())
    consider(topic.name, std::string(topic.words), topic.summary, std::string(topic.form));
  int most = 0;
  for (const auto& f : found) most = std::max(most, f.words);
  std::erase_if(found, [&](const Found& f) { return f.words < most; });
  std::stable_sort(found.begin(), found.end(),
                   [](const Found& a, const Found& b) { return a.score > b.score; });
  std::string out;
  for (const auto& f : found) add_beside(out, f.name, 21, f.summary, std::max(50, width));
  return out;
}

}  // namespace quill
