#include "base/text.h"

#include <fmt/format.h>
#include <utf8proc.h>

#include <algorithm>
#include <array>
#include <cstdint>
#include <cstring>

namespace quill {

Character decode(std::string_view text, std::size_t at) {
  utf8proc_int32_t code = 0;
  const auto* bytes = reinterpret_cast<const utf8proc_uint8_t*>(text.data() + at);
  const auto length = utf8proc_iterate(bytes, static_cast<utf8proc_ssize_t>(text.size() - at), &code);
  if (length <= 0) return {0xFFFD, 1, false};
  return {static_cast<char32_t>(code), static_cast<int>(length), true};
}

void append_utf8(std::string& out, char32_t code) {
  utf8proc_uint8_t bytes[4];
  const auto length = utf8proc_encode_char(static_cast<utf8proc_int32_t>(code), bytes);
  out.append(reinterpret_cast<const char*>(bytes), static_cast<std::size_t>(length));
}

std::size_t find_malformed(std::string_view text) {
  constexpr std::uint64_t not_ascii = 0x8080808080808080;
  for (std::size_t i = 0; i < text.size();) {
    // Eight characters at a time, as large files have hardly any others.
    std::uint64_t eight = 0;
    while (i + sizeof eight <= text.size()) {
      std::memcpy(&eight, text.data() + i, sizeof eight);
      if (eight & not_ascii) break;
      i += sizeof eight;
    }
    if (i >= text.size()) break;
    if (static_cast<unsigned char>(text[i]) < 0x80) {
      ++i;
      continue;
    }
    const auto c = decode(text, i);
    if (!c.valid) return i;
    i += c.length;
  }
  return std::string_view::npos;
}

std::size_t count_characters(std::string_view text) {
  std::size_t n = 0;
  for (std::size_t i = 0; i < text.size(); i += decode(text, i).length) ++n;
  return n;
}

std::size_t start_of_character(std::string_view text, std::size_t at) {
  at = std::min(at, text.size());
  while (at > 0 && at < text.size() && (static_cast<unsigned char>(text[at]) & 0xC0) == 0x80) --at;
  return at;
}

bool is_letter(char32_t code) {
  if (code < 0x80) return (code >= 'a' && code <= 'z') || (code >= 'A' && code <= 'Z');
  switch (utf8proc_category(static_cast<utf8proc_int32_t>(code))) {
    case UTF8PROC_CATEGORY_LU:
    case UTF8PROC_CATEGORY_LL:
    case UTF8PROC_CATEGORY_LT:
    case UTF8PROC_CATEGORY_LM:
    case UTF8PROC_CATEGORY_LO: return true;
    default: return false;
  }
}

std::size_t display_width(std::string_view text) {
  std::size_t width = 0;
  for (std::size_t i = 0; i < text.size();) {
    const auto c = decode(text, i);
    width += c.code == '\t' ? 1
                            : static_cast<std::size_t>(
                                  std::max(0, utf8proc_charwidth(static_cast<utf8proc_int32_t>(c.code))));
    i += c.length;
  }
  return width;
}

namespace {

// Characters that act as instructions to terminals or readers.
bool is_unseen(char32_t code) {
  return code < 0x20 || (code >= 0x7F && code < 0xA0) || code == 0x061C || code == 0x200E || code == 0x200F ||
         (code >= 0x2028 && code <= 0x202E) || (code >= 0x2066 && code <= 0x2069);
}

std::string with_escapes(std::string_view text, bool keeps_lines) {
  std::string out;
  for (std::size_t i = 0; i < text.size();) {
    const auto c = decode(text, i);
    if (!c.valid)
      out += fmt::format("\\x{:02x}", static_cast<unsigned char>(text[i]));
    else if (c.code == '\n' || c.code == '\t')
      out += keeps_lines ? std::string(1, text[i]) : c.code == '\n' ? "\\n" : "\\t";
    else if (is_unseen(c.code))
      out += c.code < 0x80 ? fmt::format("\\x{:02x}", static_cast<unsigned>(c.code))
                           : fmt::format("\\u{:04x}", static_cast<unsigned>(c.code));
    else
      out += text.substr(i, c.length);
    i += c.length;
  }
  return out;
}

}  // namespace

std::string printable(std::string_view text) { return with_escapes(text, false); }

std::string in_quotes(std::string_view text) {
  // After a dollar sign the lexer takes short escapes such as \t for the start of formula names.
  const bool has_formula = text.find('$') != text.npos;
  std::string out = "\"";
  for (std::size_t at = 0; at < text.size();) {
    const auto c = decode(text, at);
    const auto character = text.substr(at, c.length);
    const bool is_short = c.code == '\n' || c.code == '\t' || c.code == '\r';
    if (c.valid && is_unseen(c.code) && (!is_short || has_formula)) {
      out += fmt::format("\\u{{{:x}}}", static_cast<unsigned>(c.code));
    } else if (c.code == '\r') {
      out += "\\r";
    } else {
      if (character.find_first_of("\"\\{}") == 0) out += '\\';
      out += printable(character);
    }
    at += c.length;
  }
  return out + "\"";
}

std::string printable_lines(std::string_view text) { return with_escapes(text, true); }

std::string shortened(std::string_view text, std::size_t width) {
  if (display_width(text) <= width) return std::string(text);
  std::size_t used = 0, end = 0;
  while (end < text.size()) {
    const auto length = static_cast<std::size_t>(decode(text, end).length);
    const auto next = display_width(text.substr(end, length));
    if (used + next + 1 > width) break;
    used += next;
    end += length;
  }
  return std::string(text.substr(0, end)) + "…";
}

std::string shortened_in_middle(std::string_view text, std::size_t width) {
  if (display_width(text) <= width) return std::string(text);
  std::size_t begin = text.size(), used = 0;
  while (begin > 0) {
    const auto before = start_of_character(text, begin - 1);
    const auto next = display_width(text.substr(before, begin - before));
    if (used + next > (width - 1) / 2) break;
    used += next;
    begin = before;
  }
  return shortened(text, width - used) + std::string(text.substr(begin));
}

std::string pad_right(std::string_view text, std::size_t width) {
  const auto have = display_width(text);
  return std::string(text) + std::string(have < width ? width - have : 0, ' ');
}

std::string pad_left(std::string_view text, std::size_t width) {
  const auto have = display_width(text);
  return std::string(have < width ? width - have : 0, ' ') + std::string(text);
}

std::vector<std::string> wrap(std::string_view text, std::size_t width) {
  std::vector<std::string> lines(1);
  std::size_t i = 0;
  while (i < text.size()) {
    if (text[i] == '\n') {
      lines.emplace_back();
      ++i;
      continue;
    }
    if (text[i] == ' ') {
      ++i;
      continue;
    }
    const auto end = std::min(text.find_first_of(" \n", i), text.size());
    const auto word = text.substr(i, end - i);
    auto& line = lines.back();
    if (line.empty())
      line = word;
    else if (display_width(line) + 1 + display_width(word) <= width)
      line.append(" ").append(word);
    else
      lines.emplace_back(word);
    i = end;
  }
  return lines;
}

std::string_view trim(std::string_view text) {
  constexpr std::string_view blanks = " \t\r\n";
  const auto from = text.find_first_not_of(blanks);
  if (from == std::string_view::npos) return {};
  return text.substr(from, text.find_last_not_of(blanks) - from + 1);
}

namespace {

// Damerau's distance: insertions, deletions, substitutions and swaps of neighbours each cost one.
std::size_t edit_distance(std::string_view a, std::string_view b) {
  std::vector<std::vector<std::size_t>> d(a.size() + 1, std::vector<std::size_t>(b.size() + 1));
  for (std::size_t i = 0; i <= a.size(); ++i) d[i][0] = i;
  for (std::size_t j = 0; j <= b.size(); ++j) d[0][j] = j;
  for (std::size_t i = 1; i <= a.size(); ++i)
    for (std::size_t j = 1; j <= b.size(); ++j) {
      d[i][j] = std::min({d[i - 1][j] + 1, d[i][j - 1] + 1, d[i - 1][j - 1] + (a[i - 1] != b[j - 1])});
      if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1])
        d[i][j] = std::min(d[i][j], d[i - 2][j - 2] + 1);
    }
  return d[a.size()][b.size()];
}

}  // namespace

std::string without_alphabets(std::string_view text) {
  std::string out;
  for (std::size_t i = 0; i < text.size();) {
    const auto c = decode(text, i);
    const bool has_plain = (c.code >= 0x1D400 && c.code <= 0x1D7FF) || (c.code >= 0x2100 && c.code <= 0x214F);
    utf8proc_int32_t plain[4];
    int last_class = 0;
    const auto count =
        has_plain ? utf8proc_decompose_char(
                        static_cast<utf8proc_int32_t>(c.code), plain, 4,
                        static_cast<utf8proc_option_t>(UTF8PROC_DECOMPOSE | UTF8PROC_COMPAT), &last_class)
                  : 0;
    if (count > 0 && count <= 4)
      for (utf8proc_ssize_t k = 0; k < count; ++k) append_utf8(out, static_cast<char32_t>(plain[k]));
    else
      out += text.substr(i, static_cast<std::size_t>(c.length));
    i += static_cast<std::size_t>(c.length);
  }
  return out;
}

namespace {

// Names that were replaced, with their successors.
constexpr std::pair<std::string_view, std::string_view> kReplaced[] = {
    {":type", ":card"},
    {"again", "replacement"},
    {"basis", "kernel"},
    {"freedom", "degrees_of_freedom"},
    {"matrix_exp", "matrix_exponential"},
    {"null_space", "null_basis"},
    {"range", "limits"},
    {"rbf_interpolant", "radial_interpolant"},
};

}  // namespace

std::string nearest_name(std::string_view name, const std::vector<std::string>& known) {
  if (name.size() > 60) return {};
  for (const auto& [before, now] : kReplaced)
    if (name == before && std::find(known.begin(), known.end(), now) != known.end()) return std::string(now);
  std::string best;
  // The beginning of a name, of at least three letters, means the shortest name that starts with it.
  constexpr std::size_t least = 3;
  if (name.size() >= least)
    for (const auto& candidate : known)
      if (candidate.size() > name.size() && candidate.starts_with(name) &&
          (best.empty() || candidate.size() < best.size()))
        best = candidate;
  if (!best.empty()) return best;
  std::size_t best_distance = std::max<std::size_t>(1, name.size() / 3) + 1;
  for (const auto& candidate : known) {
    if (candidate == name || candidate.size() > 60) continue;
    const auto distance = edit_distance(name, candidate);
    // A name whose every letter differs was not meant.
    if (distance < best_distance && distance < name.size()) {
      best = candidate;
      best_distance = distance;
    }
  }
  return best;
}

std::string list_in_prose(const std::vector<std::string>& items, std::string_view last) {
  std::string out;
  for (std::size_t i = 0; i < items.size(); ++i) {
    if (i > 0) out += i + 1 == items.size() ? fmt::format(" {} ", last) : ", ";
    out += items[i];
  }
  return out;
}

namespace {

template <utf8proc_int32_t (*map)(utf8proc_int32_t)>
std::string mapped(std::string_view text) {
  std::string out;
  out.reserve(text.size());
  // The characters of one byte are mapped once for all.
  static const auto short_ones = [] {
    std::array<char, 128> table{};
    for (std::size_t k = 0; k < table.size(); ++k)
      table[k] = static_cast<char>(map(static_cast<utf8proc_int32_t>(k)));
    return table;
  }();
  for (std::size_t i = 0; i < text.size();) {
    if (const auto byte = static_cast<unsigned char>(text[i]); byte < short_ones.size()) {
      out += short_ones[byte];
      ++i;
      continue;
    }
    const auto c = decode(text, i);
    const auto length = static_cast<std::size_t>(c.length);
    if (c.valid)
      append_utf8(out, static_cast<char32_t>(map(static_cast<utf8proc_int32_t>(c.code))));
    else
      out += text.substr(i, length);
    i += length;
  }
  return out;
}

}  // namespace

std::string to_upper(std::string_view text) { return mapped<utf8proc_toupper>(text); }
std::string to_lower(std::string_view text) { return mapped<utf8proc_tolower>(text); }

std::string escaped_markup(std::string_view text) {
  std::string out;
  for (const char c : text) {
    switch (c) {
      case '&': out += "&amp;"; break;
      case '<': out += "&lt;"; break;
      case '>': out += "&gt;"; break;
      case '"': out += "&quot;"; break;
      default: out += c;
    }
  }
  return out;
}

}  // namespace quill
