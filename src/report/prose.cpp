#include "report/prose.h"

#include <fmt/format.h>
#include <md4c-html.h>
#include <re2/re2.h>

#include <algorithm>
#include <array>
#include <cctype>

#include "base/text.h"
#include "render/formula.h"

namespace quill {

std::string unescaped_markup(std::string text) {
  for (const auto& [from, to] : {std::pair("&lt;", "<"), {"&gt;", ">"}, {"&quot;", "\""}, {"&amp;", "&"}})
    for (std::size_t at = 0; (at = text.find(from, at)) != std::string::npos; at += 1)
      text.replace(at, std::string_view(from).size(), to);
  return text;
}

namespace {

std::string converted(const std::string& markdown, bool is_trusted) {
  std::string out;
  const unsigned flags = MD_FLAG_TABLES | MD_FLAG_STRIKETHROUGH | MD_FLAG_PERMISSIVEWWWAUTOLINKS |
                         MD_FLAG_PERMISSIVEURLAUTOLINKS | MD_FLAG_LATEXMATHSPANS |
                         (is_trusted ? 0U : static_cast<unsigned>(MD_FLAG_NOHTML));
  md_html(
      markdown.data(), static_cast<MD_SIZE>(markdown.size()),
      [](const MD_CHAR* text, MD_SIZE size, void* to) { static_cast<std::string*>(to)->append(text, size); },
      &out, flags, 0);
  return out;
}

using Groups = std::array<re2::StringPiece, 4>;

// Replaces each match by the result of `made` for its groups.
std::string replaced(const std::string& text, const RE2& pattern,
                     const std::function<std::string(const Groups&)>& made) {
  std::string out;
  std::size_t at = 0;
  const int count = pattern.NumberOfCapturingGroups() + 1;
  for (Groups groups; pattern.Match(text, at, text.size(), RE2::UNANCHORED, groups.data(), count);) {
    const auto begin = static_cast<std::size_t>(groups[0].data() - text.data());
    out.append(text, at, begin - at);
    out += made(groups);
    at = begin + groups[0].size();
  }
  return out.append(text, at);
}

std::string text_of(const re2::StringPiece& piece) { return {piece.data(), piece.size()}; }
int level_of(const re2::StringPiece& digit) { return digit[0] - '0'; }

std::string formula(const Groups& groups) {
  const auto source = text_of(groups[2]);
  const auto picture = formula_picture(unescaped_markup(source));
  if (!picture.error.empty())
    return fmt::format("<code title=\"{}\">{}</code>", escaped_markup(picture.error), source);
  return groups[1].empty() ? picture.svg : "<span class=\"display\">" + picture.svg + "</span>";
}

// The id of a heading: its letters and digits in lower case, spaces as hyphens.
std::string id_of_heading(const std::string& html) {
  static const RE2 tags("<[^>]*>");
  std::string text = html, out;
  RE2::GlobalReplace(&text, tags, "");
  for (const char c : to_lower(unescaped_markup(text)))
    if (std::isalnum(static_cast<unsigned char>(c)) || c == '_' || c == '-')
      out += c;
    else if (c == ' ')
      out += '-';
    else if (static_cast<unsigned char>(c) >= 0x80)  // as links have it
      out += fmt::format("%{:02X}", static_cast<unsigned char>(c));
  return out;
}

std::string with_ids(const std::string& html) {
  static const RE2 headings("(?s)<h([1-6])>(.*?)</h[1-6]>");
  return replaced(html, headings, [](const Groups& groups) {
    const auto inside = text_of(groups[2]);
    return fmt::format("<h{0} id=\"{1}\">{2}</h{0}>", level_of(groups[1]), id_of_heading(inside), inside);
  });
}

}  // namespace

std::string html_of_prose(const std::string& markdown, const ProseOptions& options, int& last_level) {
  static const RE2 equations("<x-equation( type=\"display\")?>([^<]*)</x-equation>"),
      headings("<(/?)h([1-6])>"), pictures("<img src=\"([^\"]*)\" alt=\"([^\"]*)\"[^>]*>"),
      links("<a href=\"([^\"]*)\"");
  auto html = replaced(converted(markdown, options.is_trusted), equations, formula);
  if (options.is_trusted) return with_ids(html);
  int highest = 6;
  replaced(html, headings, [&](const Groups& groups) {
    highest = std::min(highest, level_of(groups[2]));
    return std::string();
  });
  html = replaced(html, headings, [&](const Groups& groups) {
    if (!groups[1].empty()) return fmt::format("</h{}>", last_level);
    last_level = std::min({options.level + level_of(groups[2]) - highest, last_level + 1, 6});
    return fmt::format("<h{}>", last_level);
  });
  html = replaced(html, pictures, [&](const Groups& groups) {
    const auto alternative = text_of(groups[2]);
    const auto url = options.picture ? options.picture(unescaped_markup(text_of(groups[1]))) : std::string();
    return url.empty() ? fmt::format("<em>{}</em>", alternative)
                       : fmt::format("<img src=\"{}\" alt=\"{}\">", url, alternative);
  });
  return replaced(html, links, [](const Groups& groups) {
    const auto target = to_lower(text_of(groups[1]));
    const bool is_allowed = target.starts_with("https://") || target.starts_with("http://") ||
                            target.starts_with("mailto:") || target.starts_with("#");
    return is_allowed ? text_of(groups[0]) : std::string("<a");
  });
}

}  // namespace quill
