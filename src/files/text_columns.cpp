#include "files/text_columns.h"

#include <fmt/format.h>
#include <iconv.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <map>

#include "base/error.h"
#include "base/number.h"
#include "base/text.h"
#include "base/time_text.h"
#include "files/csv_fields.h"

namespace quill {

namespace {

using Words = std::vector<std::string_view>;

bool is_blank(char c) { return c == ' ' || c == '\t' || c == '\r'; }

// Words of a line; quotes, and optionally brackets with units, group words.
Words words_of(std::string_view line, bool keeps_brackets) {
  Words out;
  for (std::size_t at = 0; at < line.size();) {
    if (is_blank(line[at])) {
      ++at;
      continue;
    }
    const auto begin = at;
    const char open = line[at];
    const char close = open == '"' ? '"' : !keeps_brackets ? 0 : open == '(' ? ')' : open == '[' ? ']' : 0;
    auto end = close ? line.find(close, at + 1) : line.npos;
    while (close == '"' && end != line.npos && end + 1 < line.size() && line[end + 1] == '"')
      end = line.find(close, end + 2);
    if (end != line.npos)
      at = end + 1;
    else
      while (at < line.size() && !is_blank(line[at])) ++at;
    // A unit belongs to the name before it.
    if (keeps_brackets && !out.empty() && (open == '(' || open == '['))
      out.back() = line.substr(static_cast<std::size_t>(out.back().data() - line.data()),
                               at - static_cast<std::size_t>(out.back().data() - line.data()));
    else
      out.push_back(line.substr(begin, at - begin));
  }
  return out;
}

bool is_comment(std::string_view line) {
  const auto text = trim(line);
  return text.starts_with('#') || text.starts_with('%');
}

std::string_view without_sign(std::string_view comment) {
  auto text = trim(comment);
  while (text.starts_with('#') || text.starts_with('%')) text.remove_prefix(1);
  return text;
}

std::vector<std::string_view> lines_of(std::string_view text) {
  std::vector<std::string_view> out;
  for (std::size_t at = 0; at < text.size();) {
    const auto end = std::min(text.find('\n', at), text.size());
    out.push_back(text.substr(at, end - at));
    at = end + 1;
  }
  return out;
}

std::size_t numbers_among(const Words& words) {
  return static_cast<std::size_t>(std::count_if(
      words.begin(), words.end(), [](std::string_view word) { return parse_number(word).has_value(); }));
}

// Numbers, also missing ones, timestamps and booleans.
std::size_t fields_of_values(const Words& words) {
  static const FieldRules usual;
  return static_cast<std::size_t>(std::count_if(words.begin(), words.end(), [](std::string_view word) {
    return number_in(word, usual) || parse_time(word) || boolean_in(word);
  }));
}

bool has_delimiter(std::string_view line) {
  bool quoted = false;
  for (const char c : line) {
    quoted = c == '"' ? !quoted : quoted;
    if (!quoted && (c == ',' || c == ';' || c == '\t')) return true;
  }
  return false;
}

// The first lines that are neither empty nor comments.
std::vector<std::string_view> first_lines(std::string_view text, std::size_t most) {
  std::vector<std::string_view> out;
  for (std::size_t at = 0; at < text.size() && out.size() < most;) {
    const auto end = std::min(text.find('\n', at), text.size());
    const auto line = text.substr(at, end - at);
    at = end + 1;
    if (!trim(line).empty() && !is_comment(line)) out.push_back(line);
  }
  return out;
}

class Converter {
 public:
  Converter(std::string_view text, const CsvOptions& options) : lines_(lines_of(text)), options_(options) {}

  TabSeparated converted() {
    find_first_row();
    std::string out;
    for (std::size_t k = 0; k < lines_.size(); ++k) {
      if (k == header_) {
        out += joined(header_fields());
      } else if (k == units_) {
        out += "#";
      } else if (is_comment(lines_[k]) || k < static_cast<std::size_t>(options_.skip)) {
        (out += "# ") += trim(lines_[k]);
      } else {
        out += joined(fields_of(lines_[k]));
      }
      out += '\n';
    }
    return {std::move(out), header_ != kNone};
  }

 private:
  static constexpr auto kNone = std::string_view::npos;

  Words fields_of(std::string_view line) const {
    if (options_.widths.empty()) return words_of(line, false);
    Words out;
    for (const auto width : options_.widths) {
      std::size_t end = 0;
      for (Index k = 0; k < width && end < line.size(); ++k) {
        ++end;
        while (end < line.size() && (static_cast<unsigned char>(line[end]) & 0xC0) == 0x80) ++end;
      }
      out.push_back(trim(line.substr(0, end)));
      line.remove_prefix(end);
    }
    return out;
  }

  // Finds header, units and first row.
  void find_first_row() {
    std::vector<std::size_t> rows;
    auto comment = kNone;
    for (auto k = static_cast<std::size_t>(options_.skip); k < lines_.size() && rows.size() < 4; ++k) {
      if (is_comment(lines_[k])) {
        if (rows.empty()) comment = k;
      } else if (!trim(lines_[k]).empty()) {
        rows.push_back(k);
      }
    }
    if (rows.empty()) return;
    const auto has_words = [&](std::size_t r) {
      return r < rows.size() && numbers_among(fields_of(lines_[rows[r]])) == 0;
    };
    const bool is_header = options_.header.value_or(has_words(0));
    if (is_header) {
      header_ = rows[0];
      if (rows.size() > 2 && has_words(1) && !has_words(2) &&
          names_in(rows[0]).size() == units_in(rows[1]).size())
        units_ = rows[1];
    } else if (comment != kNone && !options_.header &&
               names_in(comment).size() == fields_of(lines_[rows[0]]).size()) {
      header_ = comment;
    }
  }

  Words names_in(std::size_t line) const {
    if (!options_.widths.empty() && !is_comment(lines_[line])) return fields_of(lines_[line]);
    return words_of(is_comment(lines_[line]) ? without_sign(lines_[line]) : lines_[line], true);
  }
  Words units_in(std::size_t line) const {
    return options_.widths.empty() ? words_of(lines_[line], false) : fields_of(lines_[line]);
  }

  Words header_fields() {
    auto names = names_in(header_);
    if (units_ == kNone) return names;
    const auto units = units_in(units_);
    for (std::size_t c = 0; c < names.size(); ++c) {
      auto unit = units[c];
      if (unit.size() > 1 && (unit.front() == '(' || unit.front() == '['))
        unit = unit.substr(1, unit.size() - 2);
      made_.push_back(unit == "-" || unit.empty() ? std::string(names[c])
                                                  : fmt::format("{} ({})", names[c], unit));
    }
    Words out;
    for (const auto& name : made_) out.emplace_back(name);
    return out;
  }

  static std::string joined(const Words& fields) {
    std::string out;
    for (const auto& field : fields) {
      if (&field != fields.data()) out += '\t';
      for (const char c : field) out += c == '\t' ? ' ' : c;
    }
    return out;
  }

  std::vector<std::string_view> lines_;
  const CsvOptions& options_;
  std::size_t header_ = kNone, units_ = kNone;
  std::vector<std::string> made_;
};

}  // namespace

bool has_columns_between_blanks(std::string_view text) {
  constexpr std::size_t sample = 30;
  if (text.substr(0, 4096).find('\0') != text.npos) return false;
  const auto lines = first_lines(text, sample);
  if (std::any_of(lines.begin(), lines.end(), has_delimiter)) return false;
  // After at most two lines of words.
  std::size_t first = 0;
  while (first < lines.size() && first < 2 && numbers_among(words_of(lines[first], false)) == 0) ++first;
  if (lines.size() <= first) return false;
  // Some rows may be invalid, which is reported on reading; the majority determines the format.
  std::map<std::size_t, std::size_t> rows;  // of numbers, by how many fields they have
  for (std::size_t k = first; k < lines.size(); ++k) {
    const auto words = words_of(lines[k], false);
    if (2 * fields_of_values(words) >= words.size()) ++rows[words.size()];
  }
  const auto most = std::max_element(rows.begin(), rows.end(),
                                     [](const auto& a, const auto& b) { return a.second < b.second; });
  if (most == rows.end() || most->first < 2 || 3 * most->second < 2 * (lines.size() - first)) return false;
  for (std::size_t k = 0; k < first; ++k)
    if (words_of(lines[k], true).size() != most->first && words_of(lines[k], false).size() != most->first)
      return false;
  return true;
}

std::optional<TabSeparated> as_tab_separated(std::string_view text, const CsvOptions& options) {
  const bool is_said = !options.widths.empty() || options.delimiter == ' ';
  if (!is_said && options.delimiter) return std::nullopt;
  auto rest = text;
  for (Index k = 0; k < options.skip && !rest.empty(); ++k) {
    const auto end = rest.find('\n');
    rest.remove_prefix(end == rest.npos ? rest.size() : end + 1);
  }
  if (!is_said && !has_columns_between_blanks(rest)) return std::nullopt;
  return Converter(text, options).converted();
}

std::string decoded(std::string bytes, const std::string& encoding, const std::string& name) {
  constexpr std::array<std::pair<std::string_view, const char*>, 4> known = {
      {{"utf-8", "UTF-8"}, {"latin-1", "ISO-8859-1"}, {"windows-1252", "CP1252"}, {"utf-16", "UTF-16"}}};
  const bool is_marked = bytes.starts_with("\xFF\xFE") || bytes.starts_with("\xFE\xFF");
  const auto wanted = encoding.empty() && is_marked ? std::string("utf-16") : to_lower(encoding);
  if (wanted.empty() || wanted == "utf-8") return bytes;
  const auto found =
      std::find_if(known.begin(), known.end(), [&](const auto& k) { return k.first == wanted; });
  if (found == known.end())
    fail(fmt::format("unknown encoding \"{}\"", printable(encoding)),
         "known encodings: \"utf-8\", \"latin-1\", \"windows-1252\" and \"utf-16\"");
  const auto converter = ::iconv_open("UTF-8", found->second);
  if (converter == reinterpret_cast<iconv_t>(-1))  // NOLINT(performance-no-int-to-ptr): so says POSIX
    fail(fmt::format("the encoding \"{}\" is not available", wanted));
  std::string out;
  std::array<char, 65536> piece{};
  char* from = bytes.data();
  std::size_t left = bytes.size();
  bool fine = true;
  while (left > 0 && fine) {
    char* to = piece.data();
    std::size_t room = piece.size();
    const auto done = ::iconv(converter, &from, &left, &to, &room);
    out.append(piece.data(), piece.size() - room);
    fine = done != static_cast<std::size_t>(-1) || errno == E2BIG;
  }
  ::iconv_close(converter);
  if (!fine)
    fail(fmt::format("{} is not text in the encoding \"{}\": invalid byte {}", name, wanted,
                     bytes.size() - left + 1));
  return out;
}

}  // namespace quill
