// Reads JSON straight into arrays, without a tree of values in between.
#include <fmt/format.h>
#include <simdjson.h>

#include <charconv>
#include <cmath>
#include <limits>
#include <memory>
#include <nlohmann/json.hpp>
#include <unordered_map>

#include "base/interrupt.h"
#include "base/number.h"
#include "base/time_text.h"
#include "files/formats.h"
#include "files/json_text.h"
#include "files/provenance.h"

namespace quill {

namespace json_reading {

namespace {

namespace stream = simdjson::ondemand;
constexpr double kNan = std::numeric_limits<double>::quiet_NaN();
constexpr int kDeepest = 150;  // the functions recurse

struct Fault {};  // the text is not valid JSON

struct Number {
  double value = 0;
  bool is_integer = false;  // fits in int64 and is written without a point
  std::int64_t integer = 0;
  // An integer whose digits float64 may not hold.
  bool is_beyond_float64() const {
    constexpr auto most = static_cast<std::int64_t>(kLargestExact);
    return is_integer && (integer > most || integer < -most);
  }
};

Data data_of(const Number& n) {
  return Data::of(n.is_beyond_float64() ? Array::filled<std::int64_t>({}, n.integer)
                                        : Array::single(n.value));
}

// Moves `at` past the digits that begin there; returns how many there were.
std::size_t skip_digits(std::string_view text, std::size_t& at) {
  const auto begin = at;
  while (at < text.size() && text[at] >= '0' && text[at] <= '9') ++at;
  return at - begin;
}

// A number by the grammar of JSON. Throws Error for an integer beyond int64 that float64 does not hold
// exactly, and for a number beyond float64.
Number number_of(std::string_view text, const std::string& name) {
  std::size_t at = text.starts_with('-') ? 1 : 0;
  const bool has_zero = at < text.size() && text[at] == '0';
  const auto before_point = skip_digits(text, at);
  if (before_point == 0 || (has_zero && before_point > 1)) throw Fault();
  bool is_integer = true;
  if (at < text.size() && text[at] == '.') {
    is_integer = false;
    if (skip_digits(text, ++at) == 0) throw Fault();
  }
  if (at < text.size() && (text[at] == 'e' || text[at] == 'E')) {
    is_integer = false;
    ++at;
    if (at < text.size() && (text[at] == '+' || text[at] == '-')) ++at;
    if (skip_digits(text, at) == 0) throw Fault();
  }
  if (at != text.size()) throw Fault();
  Number out;
  const char *const begin = text.data(), *const end = begin + text.size();
  if (is_integer && std::from_chars(begin, end, out.integer).ec == std::errc()) {
    out.is_integer = true;
    out.value = text == "-0" ? -0.0 : static_cast<double>(out.integer);
    return out;
  }
  if (std::from_chars(begin, end, out.value).ec != std::errc()) out.value = parse_number(text).value_or(kNan);
  if (!std::isfinite(out.value))
    fail(fmt::format("{} contains the number {}, which is beyond float64", name, text.substr(0, 40)),
         "write it as a text to keep its digits");
  if (is_integer && fmt::format("{:.0f}", out.value) != text)
    fail(fmt::format("{} contains the integer {}, which is beyond int64 and not exact in float64", name,
                     text.substr(0, 40)),
         "write it as a text to keep its digits");
  return out;
}

// Rows of one length, type and unit.
std::optional<Array> matrix_of(const std::vector<Data>& rows) {
  const auto& first = rows[0].array;
  Shape shape = first.shape();
  shape.insert(0, static_cast<Index>(rows.size()));
  Array out(first.type(), shape);
  out.label = first.label;
  for (std::size_t r = 0; r < rows.size(); ++r) {
    const auto& row = rows[r];
    if (row.kind != Data::Kind::array || !(row.array.shape() == first.shape()) ||
        row.array.type() != first.type() || holds_times(row.array) != holds_times(first))
      return std::nullopt;
    visit_type(first.type(), [&]<class T>(Tag<T>) {
      const auto values = row.array.to_vector<T>();
      std::copy(values.begin(), values.end(), out.mutable_data<T>() + static_cast<Index>(r) * first.size());
    });
  }
  return out;
}

Array texts_or_times(const std::vector<std::string>& texts) {
  std::vector<double> times;
  for (const auto& text : texts) {
    const auto time = parse_time(text);
    if (!time) return Array::vector(texts);
    times.push_back(*time);
  }
  auto out = Array::vector(times);
  out.label = std::make_shared<Label>(Label{"", std::string(kTimeUnit)});
  return out;
}

// The elements of a list, stored by their type as long as all have the same one. A gap is nan among numbers.
class List {
 public:
  void add_number(const Number& n) {
    if (is_open() && !n.is_beyond_float64()) become(Kind::numbers);
    if (n.is_beyond_float64() && (is_open() || kind_ == Kind::numbers) && are_integers_ && gaps_ == 0) {
      for (const double x : numbers_) integers_.push_back(static_cast<std::int64_t>(x));
      kind_ = Kind::integers;
    }
    if (kind_ == Kind::numbers && !n.is_beyond_float64()) {
      numbers_.push_back(n.value);
      are_integers_ = are_integers_ && n.is_integer;
    } else if (kind_ == Kind::integers && n.is_integer) {
      integers_.push_back(n.integer);
    } else {
      add_item(data_of(n));
    }
  }
  void add_gap() {
    if (is_open()) {
      kind_ = Kind::gaps;
      ++gaps_;
    } else if (kind_ == Kind::numbers) {
      numbers_.push_back(kNan);
      ++gaps_;
      are_integers_ = false;
    } else {
      add_item(Data{});
    }
  }
  void add_boolean(bool value) {
    if (kind_ == Kind::empty) kind_ = Kind::booleans;
    if (kind_ == Kind::booleans)
      booleans_.push_back(value);
    else
      add_item(Data::of(Array::filled<bool>({}, value)));
  }
  void add_text(std::string_view text) {
    if (kind_ == Kind::empty) kind_ = Kind::texts;
    if (kind_ == Kind::texts)
      texts_.emplace_back(text);
    else
      add_item(Data::of(Array::filled<std::string>({}, std::string(text))));
  }
  void add_list(List list) {
    const auto width = list.numbers_.size();
    if (list.kind_ == Kind::numbers && (kind_ == Kind::empty || (kind_ == Kind::rows && width == width_))) {
      kind_ = Kind::rows;
      width_ = width;
      numbers_.insert(numbers_.end(), list.numbers_.begin(), list.numbers_.end());
    } else {
      add_item(std::move(list).data());
    }
  }
  void add_item(Data item) {
    become_items();
    items_.push_back(std::move(item));
  }

  // A vector or matrix if the elements allow that, else a list.
  Data data() && {
    switch (kind_) {
      case Kind::empty: return Data::of(Array());
      case Kind::numbers: return Data::of(Array::vector(numbers_));
      case Kind::integers:
        return Data::of(Array::of<std::int64_t>({static_cast<Index>(integers_.size())}, integers_));
      case Kind::booleans: {
        Array out(ElementType::boolean, {static_cast<Index>(booleans_.size())});
        std::copy(booleans_.begin(), booleans_.end(), out.mutable_data<bool>());
        return Data::of(std::move(out));
      }
      case Kind::texts: return Data::of(texts_or_times(texts_));
      case Kind::rows:
        return Data::of(Array::of<double>(
            {static_cast<Index>(numbers_.size() / width_), static_cast<Index>(width_)}, numbers_));
      case Kind::gaps: become_items(); break;
      case Kind::items: break;
    }
    const bool are_rows = std::all_of(items_.begin(), items_.end(), [](const Data& d) {
      return d.kind == Data::Kind::array && d.array.axes() > 0;
    });
    if (are_rows)
      if (auto matrix = matrix_of(items_)) return Data::of(std::move(*matrix));
    Data out;
    out.kind = Data::Kind::list;
    out.items = std::move(items_);
    return out;
  }

 private:
  enum class Kind { empty, gaps, numbers, integers, booleans, texts, rows, items };

  bool is_open() const { return kind_ == Kind::empty || kind_ == Kind::gaps; }
  void become(Kind kind) {
    kind_ = kind;
    numbers_.assign(static_cast<std::size_t>(gaps_), kNan);
    are_integers_ = gaps_ == 0;
  }
  // Each element a value of its own.
  void become_items() {
    if (kind_ == Kind::gaps) items_.resize(static_cast<std::size_t>(gaps_));
    if (kind_ == Kind::numbers)
      for (const double x : numbers_) items_.push_back(std::isnan(x) ? Data{} : Data::of(Array::single(x)));
    for (const auto n : integers_) items_.push_back(data_of({static_cast<double>(n), true, n}));
    for (const bool b : booleans_) items_.push_back(Data::of(Array::filled<bool>({}, b)));
    for (const auto& text : texts_) items_.push_back(Data::of(Array::filled<std::string>({}, text)));
    if (kind_ == Kind::rows)
      for (auto row = numbers_.begin(); row != numbers_.end(); row += static_cast<std::ptrdiff_t>(width_))
        items_.push_back(
            Data::of(Array::vector(std::vector<double>(row, row + static_cast<std::ptrdiff_t>(width_)))));
    numbers_.clear();
    integers_.clear();
    booleans_.clear();
    texts_.clear();
    kind_ = Kind::items;
  }

  Kind kind_ = Kind::empty;
  Index gaps_ = 0;
  bool are_integers_ = true;     // all of numbers_
  std::vector<double> numbers_;  // of rows too, one after the other
  std::size_t width_ = 0;
  std::vector<std::int64_t> integers_;
  std::vector<bool> booleans_;
  std::vector<std::string> texts_;
  std::vector<Data> items_;
};

// The fields of a record; of fields with the same name the last one, in the place of the first.
class Record {
 public:
  void add(std::string name, Data value) {
    constexpr std::size_t few = 16;
    const auto found =
        data_.names.size() < few
            ? static_cast<std::size_t>(std::find(data_.names.begin(), data_.names.end(), name) -
                                       data_.names.begin())
            : position_of(name);
    if (found < data_.names.size())
      data_.items[found] = std::move(value);
    else
      data_.add(std::move(name), std::move(value));
  }
  Data data() && {
    data_.kind = Data::Kind::record;
    return std::move(data_);
  }

 private:
  std::size_t position_of(const std::string& name) {
    for (auto k = positions_.size(); k < data_.names.size(); ++k) positions_.emplace(data_.names[k], k);
    const auto found = positions_.find(name);
    return found == positions_.end() ? data_.names.size() : found->second;
  }
  Data data_;
  std::unordered_map<std::string, std::size_t> positions_;
};

class JsonReader {
 public:
  explicit JsonReader(const std::string& name) : name_(name) {}

  // The text is read as the only element of a list: the library treats a single number as a value then.
  Data document(std::string_view bytes) {
    simdjson::padded_string text(bytes.size() + 2);
    text.data()[0] = '[';
    std::copy(bytes.begin(), bytes.end(), text.data() + 1);
    text.data()[bytes.size() + 1] = ']';
    stream::parser parser;
    stream::document document;
    check(parser.iterate(text).get(document));
    stream::array elements;
    check(document.get_array().get(elements));
    std::optional<Data> out;
    for (auto each : elements) {
      stream::value element;
      check(each.get(element));
      if (out) throw Fault();
      out = value(element, 0);
    }
    if (!out || document.current_location().error() != simdjson::OUT_OF_BOUNDS) throw Fault();
    return std::move(*out);
  }

 private:
  static void check(simdjson::error_code error) {
    if (error) throw Fault();
  }

  static std::string_view token_of(stream::value& source) {
    const std::string_view token = source.raw_json_token();
    const auto last = token.find_last_not_of(" \t\r\n");
    return token.substr(0, last == token.npos ? 0 : last + 1);
  }

  static bool boolean_of(stream::value& source) {
    const auto token = token_of(source);
    if (token != "true" && token != "false") throw Fault();
    return token == "true";
  }

  static void check_null(stream::value& source) {
    if (token_of(source) != "null") throw Fault();
  }

  static std::string_view text_of(stream::value& source) {
    std::string_view text;
    check(source.get_string().get(text));
    return text;
  }

  // The kind of the next value; stops at a request to interrupt, and at values nested too deep.
  stream::json_type next(stream::value& source, int depth) {
    poll_interrupt_at(values_++);
    if (depth > kDeepest) fail(fmt::format("{} is nested more than {} levels deep", name_, kDeepest));
    stream::json_type type;
    check(source.type().get(type));
    return type;
  }

  Data value(stream::value& source, int depth) {
    switch (next(source, depth)) {
      case stream::json_type::null: check_null(source); return {};
      case stream::json_type::boolean: return Data::of(Array::filled<bool>({}, boolean_of(source)));
      case stream::json_type::string:
        return Data::of(Array::filled<std::string>({}, std::string(text_of(source))));
      case stream::json_type::number: return data_of(number_of(token_of(source), name_));
      case stream::json_type::array: return list(source, depth).data();
      case stream::json_type::object: return record(source, depth);
    }
    throw Fault();
  }

  List list(stream::value& source, int depth) {
    stream::array elements;
    check(source.get_array().get(elements));
    List out;
    for (auto each : elements) {
      stream::value element;
      check(each.get(element));
      switch (next(element, depth + 1)) {
        case stream::json_type::null:
          check_null(element);
          out.add_gap();
          break;
        case stream::json_type::boolean: out.add_boolean(boolean_of(element)); break;
        case stream::json_type::string: out.add_text(text_of(element)); break;
        case stream::json_type::number: out.add_number(number_of(token_of(element), name_)); break;
        case stream::json_type::array: out.add_list(list(element, depth + 1)); break;
        case stream::json_type::object: out.add_item(record(element, depth + 1)); break;
      }
    }
    return out;
  }

  Data record(stream::value& source, int depth) {
    stream::object fields;
    check(source.get_object().get(fields));
    Record out;
    for (auto each : fields) {
      stream::field field;
      check(std::move(each).get(field));
      std::string_view key;
      check(field.unescaped_key().get(key));
      std::string name(key);
      stream::value content = field.value();
      out.add(std::move(name), value(content, depth + 1));
    }
    return std::move(out).data();
  }

  const std::string& name_;
  std::size_t values_ = 0;
};

// Error with the position of the first fault.
[[noreturn]] void report_fault(std::string_view bytes, const std::string& name) {
  using Json = nlohmann::ordered_json;
  std::size_t events = 0;
  const auto drop = [&](int depth, Json::parse_event_t, Json&) {
    poll_interrupt_at(events++);
    return depth > kDeepest;
  };
  try {
    const auto read = parsed_json(bytes, drop);
  } catch (const Json::parse_error& error) {
    const auto at = std::min<std::size_t>(error.byte > 0 ? error.byte - 1 : 0, bytes.size());
    const auto before = bytes.substr(0, at);
    const auto line = 1 + std::count(before.begin(), before.end(), '\n');
    const auto start = before.rfind('\n');
    fail(fmt::format("{}, line {}, column {}: this is not valid JSON", name, line,
                     at - (start == before.npos ? 0 : start + 1) + 1));
  } catch (const Json::exception&) {}
  fail(fmt::format("{} is not valid JSON", name));
}

// The value itself where it was saved with a description of its origin.
Data without_provenance(Data data) {
  if (data.kind != Data::Kind::record || data.names.size() != 2) return data;
  const auto field = [&](std::string_view name) -> Data* {
    const auto found = std::find(data.names.begin(), data.names.end(), name);
    return found == data.names.end() ? nullptr
                                     : &data.items[static_cast<std::size_t>(found - data.names.begin())];
  };
  auto* const value = field("value");
  const auto* const origin = field(kProvenanceKey);
  const bool is_described =
      value && origin && origin->kind == Data::Kind::record &&
      std::find(origin->names.begin(), origin->names.end(), "made_by") != origin->names.end();
  return is_described ? std::move(*value) : data;
}

// Units in the names of columns, as in tables: "depth (m)".
void take_units(Data& data) {
  for (std::size_t k = 0; k < data.names.size(); ++k) {
    auto& field = data.names[k];
    auto& value = data.items[k];
    if (value.kind != Data::Kind::array || value.array.axes() != 1 || value.array.label) continue;
    const auto open = field.rfind(" (");
    if (!field.ends_with(")") || open == field.npos || open == 0) continue;
    const auto unit = field.substr(open + 2, field.size() - open - 3);
    field = field.substr(0, open);
    value.array.label = std::make_shared<Label>(Label{field, unit});
  }
}

}  // namespace

}  // namespace json_reading

Data read_json(std::string_view bytes, const std::string& name, const CsvOptions&) {
  using namespace json_reading;
  constexpr std::string_view mark = "\xef\xbb\xbf";  // of UTF-8
  try {
    auto data = without_provenance(
        JsonReader(name).document(bytes.starts_with(mark) ? bytes.substr(mark.size()) : bytes));
    take_units(data);
    return data;
  } catch (const Fault&) { report_fault(bytes, name); }
}

}  // namespace quill
