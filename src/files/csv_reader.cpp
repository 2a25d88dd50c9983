// Reads tables: the text is cut into pieces at line ends, whose rows are counted first; then every piece puts
// its numbers straight where they belong.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <charconv>
#include <cmath>
#include <cstring>
#include <limits>
#include <numeric>
#include <set>

#include "array/index.h"
#include "base/interrupt.h"
#include "base/number.h"
#include "base/parallel.h"
#include "base/progress.h"
#include "base/text.h"
#include "base/time_format.h"
#include "base/time_text.h"
#include "files/csv.h"
#include "files/csv_fields.h"
#include "files/csv_scanner.h"
#include "files/text_columns.h"

namespace quill {

namespace {

// Content of a column; a column that does not fit one is tried as the next.
enum class Content : std::uint8_t { whole, real, time, boolean, text };

constexpr std::array<double, 23> kPowers = {1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,
                                            1e8,  1e9,  1e10, 1e11, 1e12, 1e13, 1e14, 1e15,
                                            1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22};

// Where a column's values go.
struct Target {
  Content content = Content::whole;
  bool is_open = false;  // nothing that reports has been seen
  bool fixed = false;    // set by the user
  bool wanted = true;
  FieldRules rules;
  std::int64_t* whole = nullptr;
  double* real = nullptr;
  bool* boolean = nullptr;
  std::string* text = nullptr;
};

class Table {
 public:
  Table(std::string_view text, const std::string& name, const CsvOptions& options)
      : text_(text), name_(name), options_(options) {
    if (text_.starts_with("\xEF\xBB\xBF")) text_.remove_prefix(3);
    if (const auto bad = find_malformed(text_); bad != std::string_view::npos)
      Scanner(text_, text_, ',', false, name_)
          .fail_at(text_.data() + bad, "this byte is not UTF-8 text",
                   "encoding: \"latin-1\", \"windows-1252\" or \"utf-16\" reads other encodings");
    skip_lines();
    delimiter_ = options.delimiter ? *options.delimiter : find_delimiter();
    rules_.decimal_comma = options.decimal ? *options.decimal == ',' : delimiter_ == ';';
    rules_.add_missing(options.missing);
    rules_.dates = options.dates;
    read_head();
    find_missing();
    cut();
    guess();
  }

  std::vector<Column> columns() {
    while (!fill()) {}
    tell_bad();
    leave_out_bad();
    std::vector<Column> out;
    for (std::size_t c = 0; c < labels_.size(); ++c) {
      if (!targets_[c].wanted) continue;
      auto label = labels_[c];
      if (targets_[c].content == Content::time) label.unit = kTimeUnit;
      if (targets_[c].content == Content::text && !targets_[c].fixed) tell_dates(c);
      arrays_[c].label = std::make_shared<Label>(label);
      out.push_back({names_[c], std::move(arrays_[c])});
    }
    return out;
  }

 private:
  void skip_lines() {
    for (Index k = 0; k < options_.skip && !text_.empty(); ++k) {
      const auto end = text_.find('\n');
      text_.remove_prefix(end == text_.npos ? text_.size() : end + 1);
    }
  }

  // A column of texts that look like dates in another form than ISO 8601.
  void tell_dates(std::size_t column) const {
    std::string form;
    const auto& a = arrays_[column];
    constexpr Index looked_at = 200;
    for (Index k = 0; k < std::min(a.size(), looked_at); ++k) {
      const auto& text = a.data<std::string>()[k];
      if (is_missing(text, rules_)) continue;
      const auto guess = guessed_date_format(text);
      if (guess.empty() || (!form.empty() && guess.size() != form.size())) return;
      // A day above 12 distinguishes day and month.
      if (form.empty() || guess.starts_with("%m")) form = guess;
    }
    if (form.empty() || !options_.warn) return;
    options_.warn(
        fmt::format("column `{}` of {} is read as text: it looks like dates in another form than 2026-06-01",
                    names_[column], name_),
        fmt::format("dates: \"{}\" reads them as timestamps", form));
  }

  // The delimiter that occurs most often in the first line that is not a comment.
  char find_delimiter() const {
    for (std::size_t from = 0; from < text_.size();) {
      const auto end = std::min(text_.find('\n', from), text_.size());
      const auto line = text_.substr(from, end - from);
      from = end + 1;
      if (trim(line).empty() || trim(line).front() == '#') continue;
      char best = ',';
      std::ptrdiff_t most = 0;
      for (const char candidate : {',', ';', '\t'}) {
        std::ptrdiff_t count = 0;
        bool quoted = false;
        for (const char c : line) {
          quoted = c == '"' ? !quoted : quoted;
          count += !quoted && c == candidate;
        }
        if (count > most) {
          most = count;
          best = candidate;
        }
      }
      return best;
    }
    return ',';
  }

  // "depth (m)" and "depth [m]" as name and unit.
  static Label label_of(const std::string& header) {
    for (const auto& [open, close] : {std::pair{'(', ')'}, std::pair{'[', ']'}}) {
      if (header.empty() || header.back() != close) continue;
      const auto at = header.rfind(open);
      if (at == std::string::npos || at == 0) continue;
      return {std::string(trim(std::string_view(header).substr(0, at))),
              std::string(trim(std::string_view(header).substr(at + 1, header.size() - at - 2)))};
    }
    return {header, ""};
  }

  void read_head() {
    Scanner scanner(text_, text_, delimiter_, false, name_);
    if (!scanner.next_row()) fail(fmt::format("{} contains no table: it has no lines", name_));
    const char* start = scanner.line_start();
    std::vector<Field> fields;
    do fields.push_back(scanner.field());
    while (scanner.more());
    const bool is_head =
        options_.header ? *options_.header : std::any_of(fields.begin(), fields.end(), [&](const Field& f) {
          return f.quoted || is_plain_text(f.text, rules_);
        });
    std::set<std::string> used;
    for (std::size_t c = 0; c < fields.size(); ++c) {
      auto label = is_head ? label_of(unquoted(fields[c])) : Label{};
      if (label.name.empty()) label.name = fmt::format("column{}", c + 1);
      auto name = label.name;
      for (int k = 2; !used.insert(name).second; ++k) name = fmt::format("{}_{}", label.name, k);
      names_.push_back(std::move(name));
      labels_.push_back(std::move(label));
    }
    // "station, depth": the space goes with the delimiter, in the lines below as well.
    spaced_ = fields.size() > 1 && std::all_of(fields.begin() + 1, fields.end(), [](const Field& f) {
                return f.quoted ? f.spaced : f.whole.starts_with(' ');
              });
    const char* first = is_head ? scanner.line_start() : start;
    body_ = text_.substr(static_cast<std::size_t>(first - text_.data()));
    targets_.resize(names_.size());
    choose_columns();
  }

  void choose_columns() {
    for (const auto& wanted : options_.columns)
      if (std::find(names_.begin(), names_.end(), wanted) == names_.end()) {
        const auto near = nearest_name(wanted, names_);
        fail(fmt::format("{} has no column `{}`", name_, wanted),
             near.empty() ? fmt::format("its columns are {}", list_in_prose(names_))
                          : fmt::format("did you mean \"{}\"?", near));
      }
    for (std::size_t c = 0; c < names_.size(); ++c)
      targets_[c].wanted =
          options_.columns.empty() ||
          std::find(options_.columns.begin(), options_.columns.end(), names_[c]) != options_.columns.end();
  }

  void find_missing() {
    for (auto& target : targets_) target.rules = rules_;
    for (const auto& [column, fields] : options_.missing_in) {
      const auto place = std::find(names_.begin(), names_.end(), column) - names_.begin();
      if (place == std::ssize(names_))
        fail(fmt::format("{} has no column `{}`", name_, column),
             fmt::format("its columns are {}", list_in_prose(names_)));
      targets_[static_cast<std::size_t>(place)].rules.add_missing(fields);
    }
  }

  // Pieces of whole lines. A line end inside of quotes ends no line, so that a text with quotes is one piece.
  void cut() {
    constexpr std::size_t size = std::size_t{1} << 22;
    const bool has_quotes = body_.find('"') != body_.npos;
    for (std::size_t at = 0; at < body_.size();) {
      auto end = has_quotes || body_.size() - at <= size ? body_.size() : body_.find('\n', at + size);
      end = end == body_.npos ? body_.size() : std::min(end + 1, body_.size());
      pieces_.push_back(body_.substr(at, end - at));
      at = end;
    }
    std::vector<Index> counts(pieces_.size());
    in_parallel(std::ssize(pieces_), [&](Index k) {
      counts[static_cast<std::size_t>(k)] = rows_in(pieces_[static_cast<std::size_t>(k)]);
    });
    first_row_.assign(1, 0);
    for (const auto count : counts) first_row_.push_back(first_row_.back() + count);
  }

  Index rows_in(std::string_view piece) const {
    Scanner scanner(text_, piece, delimiter_, spaced_, name_);
    Index rows = 0;
    const bool has_quotes = pieces_.size() == 1;
    while (scanner.next_row()) {
      if (has_quotes) {
        do scanner.field();
        while (scanner.more());
      } else {
        scanner.pass_line();
      }
      ++rows;
    }
    return rows;
  }

  // Detects the content of columns from their first rows, unless set by the user.
  void guess() {
    constexpr int sample = 200;
    struct Seen {
      bool whole = true, real = true, time = true, boolean = true, any = false;
      int numbers = 0, others = 0;
    };
    std::vector<Seen> seen(targets_.size());
    Scanner scanner(text_, body_, delimiter_, spaced_, name_);
    for (int r = 0; r < sample && scanner.next_row(); ++r) {
      std::size_t c = 0;
      do {
        const auto field = scanner.field();
        if (c >= seen.size()) continue;
        auto& s = seen[c];
        const auto& rules = targets_[c].rules;
        const bool is_there = field.quoted || !is_missing(field.text, rules),
                   is_number = fits(field, Content::real, rules);
        s.any = s.any || is_there;
        s.numbers += is_there && is_number;
        s.others += is_there && !is_number;
        s.whole = s.whole && fits(field, Content::whole, rules);
        s.real = s.real && is_number;
        s.time = s.time && fits(field, Content::time, rules);
        s.boolean = s.boolean && fits(field, Content::boolean, rules);
        ++c;
      } while (scanner.more());
    }
    for (std::size_t c = 0; c < seen.size(); ++c) {
      const auto& s = seen[c];
      targets_[c].is_open = !s.any;
      targets_[c].content = s.whole && s.any ? Content::whole
                            : s.real         ? Content::real
                            : s.time         ? Content::time
                            : s.boolean      ? Content::boolean
                                             : Content::text;
      // Some fields that are no numbers among many that are: they will be met, and reported.
      constexpr int many = 4;
      if (targets_[c].content == Content::text && s.others > 0 && s.numbers >= many * s.others)
        targets_[c].content = Content::real;
    }
    for (const auto& [name, content] : options_.types) {
      const auto place = std::find(names_.begin(), names_.end(), name) - names_.begin();
      if (place == std::ssize(names_)) fail(fmt::format("{} has no column `{}`", name_, name));
      auto& target = targets_[static_cast<std::size_t>(place)];
      target.content = content == "text"    ? Content::text
                       : content == "bool"  ? Content::boolean
                       : content == "time"  ? Content::time
                       : content == "int64" ? Content::whole
                                            : Content::real;
      target.fixed = true;
    }
  }

  static bool fits(const Field& f, Content content, const FieldRules& rules) {
    if (content == Content::text) return true;
    if (f.quoted && (content != Content::time || rules.dates.empty())) return false;
    if (content == Content::boolean) return boolean_in(f.text).has_value();
    if (content == Content::time) return is_missing(f.text, rules) || time_in(f.text, rules);
    if (content == Content::real) return number_in(f.text, rules).has_value();
    if (!rules.missing_numbers.empty() && is_missing(f.text, rules)) return false;
    std::int64_t value = 0;
    const auto [end, error] = std::from_chars(f.text.data(), f.text.data() + f.text.size(), value);
    return error == std::errc() && end == f.text.data() + f.text.size() && !f.text.empty() && f.text != "-0";
  }

  // An integer that would be another one in float64.
  static bool loses_digits(std::string_view text) {
    constexpr std::size_t surely_exact = 15;
    if (text.size() <= surely_exact) return false;
    const auto digits = text.substr(text[0] == '-' || text[0] == '+' ? 1 : 0);
    if (digits.find_first_not_of("0123456789") != digits.npos) return false;
    const auto value = parse_number(digits);
    const auto first = std::min(digits.find_first_not_of('0'), digits.size() - 1);
    return value && fmt::format("{:.0f}", *value) != digits.substr(first);
  }

  // Puts all values where they belong; false when a column holds something else than was thought, which is
  // known better then.
  bool fill() {
    const auto rows = first_row_.back();
    arrays_.clear();
    for (auto& t : targets_) {
      arrays_.emplace_back(t.content == Content::whole     ? ElementType::int64
                           : t.content == Content::text    ? ElementType::text
                           : t.content == Content::boolean ? ElementType::boolean
                                                           : ElementType::float64,
                           Shape{t.wanted ? rows : 0});
      auto& a = arrays_.back();
      t.whole = t.content == Content::whole ? a.mutable_data<std::int64_t>() : nullptr;
      t.text = t.content == Content::text ? a.mutable_data<std::string>() : nullptr;
      t.boolean = t.content == Content::boolean ? a.mutable_data<bool>() : nullptr;
      t.real = a.type() == ElementType::float64 ? a.mutable_data<double>() : nullptr;
    }
    std::vector<std::vector<Found>> found(pieces_.size());
    bad_.assign(pieces_.size(), {});
    std::atomic<std::size_t> done{0};
    const Progress progress("reading " + name_, [&] {
      return static_cast<double>(done.load()) / static_cast<double>(pieces_.size());
    });
    in_parallel(std::ssize(pieces_), [&](Index k) {
      const auto p = static_cast<std::size_t>(k);
      found[p] = fill_piece(pieces_[p], first_row_[p], bad_[p]);
      ++done;
    });
    bool fits = true;
    for (std::size_t c = 0; c < targets_.size(); ++c) {
      auto& t = targets_[c];
      bool is_decimal = false, loses_digits = false;
      auto content = t.content;
      for (const auto& columns : found) {
        content = std::max(content, columns[c].content);
        is_decimal = is_decimal || columns[c].is_decimal;
        loses_digits = loses_digits || columns[c].loses_digits;
      }
      // Integers alone, as those of cards and stations, keep their digits.
      if (content == Content::real && loses_digits && !is_decimal && !t.fixed) content = Content::text;
      if (content == t.content) continue;
      if (content == Content::text && t.content != Content::time)
        for (const auto& columns : found)
          if (columns[c].other) {
            tell_text(c, columns[c].other, columns[c].other_size);
            break;
          }
      fits = false;
      t.content = content;
      t.is_open = false;
    }
    return fits;
  }

  // Content of a column found in one piece.
  struct Found {
    Content content = Content::whole;
    bool is_decimal = false, loses_digits = false;
    const char* other = nullptr;  // the first field that is no number
    std::size_t other_size = 0;
  };
  // An invalid row and its position.
  struct Bad {
    Index row = 0;
    const char* place = nullptr;
  };

  Index line_of(const char* place) const { return 1 + options_.skip + std::count(text_.data(), place, '\n'); }

  void tell_text(std::size_t column, const char* place, std::size_t size) const {
    const auto field = printable(std::string_view(place, size));
    if (options_.warn)
      options_.warn(
          fmt::format("column `{}` of {} is read as text: line {} contains \"{}\", which is not a number",
                      names_[column], name_, line_of(place), field),
          fmt::format("missing: \"{}\", bad_rows: \"nan\", or types: ({}: \"text\")", field, names_[column]));
  }

  // How many rows are not as they should be, and the first of their lines.
  void tell_bad() const {
    constexpr Index most = 5;
    Index rows = 0, last = -1;
    std::vector<std::string> lines;
    for (const auto& piece : bad_)
      for (const auto& bad : piece) {
        if (bad.row == last) continue;
        last = bad.row;
        if (rows++ < most) lines.push_back(fmt::format("{}", line_of(bad.place)));
      }
    if (rows == 0 || !options_.warn) return;
    const auto one = rows == 1;
    options_.warn(fmt::format("{} row{} of {} {} fields that do not match: line{} {}{}; {}", rows,
                              one ? "" : "s", name_, one ? "has" : "have", one ? "" : "s",
                              fmt::join(lines, ", "), rows > most ? ", …" : "",
                              options_.bad_rows == CsvOptions::BadRows::skip
                                  ? (one ? "it is dropped" : "they are dropped")
                                  : "such fields are missing values"),
                  "");
  }

  void leave_out_bad() {
    if (options_.bad_rows != CsvOptions::BadRows::skip) return;
    std::vector<Index> kept;
    auto piece = bad_.begin();
    std::set<Index> left_out;
    for (; piece != bad_.end(); ++piece)
      for (const auto& bad : *piece) left_out.insert(bad.row);
    if (left_out.empty()) return;
    for (Index row = 0; row < first_row_.back(); ++row)
      if (!left_out.contains(row)) kept.push_back(row);
    for (std::size_t c = 0; c < targets_.size(); ++c) {
      if (!targets_[c].wanted) continue;
      const Subscript s[] = {{Subscript::Kind::positions, 0, 1, std::ssize(kept), kept}};
      arrays_[c] = select(arrays_[c], s).copied();
    }
  }

  std::vector<Found> fill_piece(std::string_view piece, Index row, std::vector<Bad>& bad) const {
    Scanner scanner(text_, piece, delimiter_, spaced_, name_);
    std::vector<Found> contents;
    for (const auto& t : targets_) contents.push_back({t.content});
    const auto width = targets_.size();
    for (; scanner.next_row(); ++row) {
      poll_interrupt_at(static_cast<std::size_t>(row));
      std::size_t c = 0;
      bool more = true;
      for (; more && c < width; ++c) {
        put(scanner, targets_[c], row, contents[c], bad);
        more = scanner.more();
      }
      if (c == width && !more) continue;
      if (options_.bad_rows != CsvOptions::BadRows::error) {
        bad.push_back({row, scanner.row_start()});
        for (; c < width; ++c) put_missing(targets_[c], row, contents[c]);
        for (; more; more = scanner.more()) scanner.field();
        continue;
      }
      const auto* start = scanner.row_start();
      for (; more; ++c) {
        scanner.field();
        more = scanner.more();
      }
      scanner.fail_at(start,
                      fmt::format("{} field{}, and the first line has {}", c, c == 1 ? "" : "s", width),
                      "quote a field that contains the delimiter");
    }
    return contents;
  }

  static void put_missing(const Target& t, Index row, Found& found) {
    if (!t.wanted) return;
    if (t.whole != nullptr) found.content = std::max(found.content, Content::real);
    if (t.boolean != nullptr) found.content = Content::text;
    if (t.real != nullptr) t.real[row] = std::numeric_limits<double>::quiet_NaN();
  }

  void put(Scanner& scanner, const Target& t, Index row, Found& found, std::vector<Bad>& bad) const {
    std::int64_t digits = 0;
    int exponent = 0;
    bool negative = false;
    constexpr std::int64_t exact = std::int64_t{1} << 53;
    if (found.content > Content::real || !scanner.number(digits, exponent, negative)) {
      put_slowly(scanner.field(), scanner, t, row, found, bad);
    } else if (!t.rules.missing_numbers.empty()) {
      put_slowly({scanner.field_text(), scanner.field_text()}, scanner, t, row, found, bad);
    } else if (t.whole != nullptr && exponent == 0 && (digits != 0 || !negative)) {
      if (t.wanted) t.whole[row] = negative ? -digits : digits;
    } else if (t.real != nullptr && digits <= exact) {
      // Both are exact in float64, and so their quotient is rounded once (W. D. Clinger, PLDI 1990).
      found.is_decimal = found.is_decimal || exponent != 0;
      const double size = static_cast<double>(digits) / kPowers[static_cast<std::size_t>(-exponent)];
      if (t.wanted) t.real[row] = negative ? -size : size;
    } else {
      put_slowly({scanner.field_text(), scanner.field_text()}, scanner, t, row, found, bad);
    }
  }

  void put_slowly(const Field& f, const Scanner& scanner, const Target& t, Index row, Found& found,
                  std::vector<Bad>& bad) const {
    auto& content = found.content;
    const bool is_number_column = t.content == Content::whole || t.content == Content::real;
    if (t.wanted && is_number_column && !f.quoted && !t.is_open && !fits(f, Content::real, t.rules)) {
      if (options_.bad_rows != CsvOptions::BadRows::error) {
        bad.push_back({row, scanner.field_start()});
        return put_missing(t, row, found);
      }
      if (!found.other) {
        found.other = scanner.field_start();
        found.other_size = f.text.size();
      }
    }
    // A column that turned out otherwise is read again.
    if (!t.wanted || content != t.content) {
      if (t.wanted && !fits(f, content, t.rules)) content = Content::text;
    } else if (t.text != nullptr) {
      t.text[row] = f.quoted ? unquoted(f) : std::string(f.whole);
    } else if (!fits(f, t.content, t.rules)) {
      if (t.fixed)
        scanner.fail_at(scanner.field_start(), fmt::format("\"{}\" is not a valid {}", printable(f.text),
                                                           t.content == Content::time      ? "time"
                                                           : t.content == Content::boolean ? "boolean"
                                                           : t.content == Content::whole   ? "integer"
                                                                                           : "number"));
      content = t.content == Content::whole && fits(f, Content::real, t.rules) ? Content::real
                : t.is_open && fits(f, Content::time, t.rules)                 ? Content::time
                : t.is_open && fits(f, Content::boolean, t.rules)              ? Content::boolean
                                                                               : Content::text;
    } else if (t.whole != nullptr) {
      std::from_chars(f.text.data(), f.text.data() + f.text.size(), t.whole[row]);
    } else if (t.boolean != nullptr) {
      t.boolean[row] = *boolean_in(f.text);
    } else {
      const auto value = t.content == Content::time ? time_in(f.text, t.rules) : number_in(f.text, t.rules);
      found.loses_digits = found.loses_digits || loses_digits(f.text);
      found.is_decimal = found.is_decimal || (value && f.text.find_first_of(".,eE") != f.text.npos);
      t.real[row] = value.value_or(std::numeric_limits<double>::quiet_NaN());
    }
  }

  std::string_view text_, body_;
  const std::string& name_;
  const CsvOptions& options_;
  char delimiter_ = ',';
  bool spaced_ = false;
  FieldRules rules_;
  std::vector<std::string> names_;
  std::vector<Label> labels_;
  std::vector<Target> targets_;
  std::vector<std::string_view> pieces_;
  std::vector<Index> first_row_;
  std::vector<std::vector<Bad>> bad_;  // of the pieces
  std::vector<Array> arrays_;
};

}  // namespace

std::vector<Column> read_csv(std::string_view text, const std::string& name, const CsvOptions& options) {
  if (const auto with_tabs = as_tab_separated(text, options)) {
    auto further = options;
    further.delimiter = '\t';
    further.skip = 0;
    further.header = with_tabs->has_header;
    return Table(with_tabs->text, name, further).columns();
  }
  return Table(text, name, options).columns();
}

}  // namespace quill
