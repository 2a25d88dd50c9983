#include <fmt/format.h>

#include <charconv>
#include <cmath>
#include <limits>
#include <memory>
#include <nlohmann/json.hpp>

#include "base/interrupt.h"
#include "base/left_work.h"
#include "base/number.h"
#include "base/time_text.h"
#include "files/formats.h"
#include "files/json_fault.h"
#include "files/provenance.h"

namespace quill {

namespace {

using Json = nlohmann::ordered_json;
constexpr double kNan = std::numeric_limits<double>::quiet_NaN();

// A value and where it comes from, as write_json puts them.
bool is_with_provenance(const Json& json) {
  return json.is_object() && json.size() == 2 && json.contains("value") && json.contains(kProvenanceKey) &&
         json[kProvenanceKey].is_object() && json[kProvenanceKey].contains("made_by");
}

bool is_number_or_gap(const Json& j) { return j.is_number() || j.is_null(); }

bool fits_int64(const Json& j) {
  return j.is_number_integer() &&
         (!j.is_number_unsigned() ||
          j.get<std::uint64_t>() <= std::uint64_t{std::numeric_limits<std::int64_t>::max()});
}

// An integer whose digits float64 may not hold, and int64 does.
bool is_beyond_float64(const Json& j) {
  constexpr auto most = static_cast<std::int64_t>(kLargestExact);
  return fits_int64(j) && (j.get<std::int64_t>() > most || j.get<std::int64_t>() < -most);
}

// Error for an integer beyond int64 that float64 does not hold exactly: the parser would round it.
void refuse_rounded_digits(std::string_view bytes, const std::string& name) {
  constexpr std::size_t surely_fits = 18;
  const auto is_of_number = [](char c) {
    return (c >= '0' && c <= '9') || c == '-' || c == '+' || c == '.' || c == 'e' || c == 'E';
  };
  bool in_text = false;
  for (std::size_t at = 0; at < bytes.size(); ++at) {
    const char c = bytes[at];
    if (c == '"')
      in_text = !in_text;
    else if (in_text && c == '\\')
      ++at;
    if (in_text || !is_of_number(c)) continue;
    const auto begin = at;
    while (at < bytes.size() && is_of_number(bytes[at])) ++at;
    const auto number = bytes.substr(begin, at - begin);
    --at;
    if (number.size() <= surely_fits || number.find_first_of(".eE") != number.npos) continue;
    std::int64_t whole = 0;
    if (std::from_chars(number.data(), number.data() + number.size(), whole).ec == std::errc()) continue;
    const auto value = parse_number(number);
    if (value && fmt::format("{:.0f}", *value) != number)
      fail(fmt::format("{} contains the integer {}, which is beyond int64 and not exact in float64", name,
                       number.substr(0, 40)),
           "write it as a text to keep its digits");
  }
}

// Numbers, texts or booleans in brackets as one vector; nothing when they are mixed, or nothing but gaps.
std::optional<Array> vector_of(const Json& list) {
  if (list.empty()) return Array();
  const auto all = [&](auto f) { return std::all_of(list.begin(), list.end(), f); };
  if (std::any_of(list.begin(), list.end(), is_beyond_float64)) {
    // A list with numbers of another type too is no vector: each element keeps its type.
    if (!all(fits_int64)) return std::nullopt;
    return Array::of<std::int64_t>({static_cast<Index>(list.size())}, list.get<std::vector<std::int64_t>>());
  }
  if (all(is_number_or_gap) && !all([](const Json& j) { return j.is_null(); })) {
    std::vector<double> numbers;
    for (const auto& j : list) numbers.push_back(j.is_null() ? kNan : j.get<double>());
    return Array::vector(numbers);
  }
  if (all([](const Json& j) { return j.is_boolean(); })) {
    Array out(ElementType::boolean, {static_cast<Index>(list.size())});
    bool* to = out.mutable_data<bool>();
    for (const auto& j : list) *to++ = j.get<bool>();
    return out;
  }
  if (!all([](const Json& j) { return j.is_string(); })) return std::nullopt;
  const auto texts = list.get<std::vector<std::string>>();
  std::vector<double> times;
  for (const auto& t : texts)
    if (const auto time = parse_time(t)) times.push_back(*time);
  if (times.size() < texts.size()) return Array::vector(texts);
  auto out = Array::vector(times);
  out.label = std::make_shared<Label>(Label{"", std::string(kTimeUnit)});
  return out;
}

// Rows of one length and type.
std::optional<Array> matrix_of(const std::vector<Data>& rows) {
  const auto& first = rows[0].array;
  Shape shape = first.shape();
  shape.insert(0, static_cast<Index>(rows.size()));
  Array out(first.type(), shape);
  for (std::size_t r = 0; r < rows.size(); ++r) {
    const auto& row = rows[r];
    if (row.kind != Data::Kind::array || !(row.array.shape() == first.shape()) ||
        row.array.type() != first.type())
      return std::nullopt;
    visit_type(first.type(), [&]<class T>(Tag<T>) {
      const auto values = row.array.to_vector<T>();
      std::copy(values.begin(), values.end(), out.mutable_data<T>() + static_cast<Index>(r) * first.size());
    });
  }
  return out;
}

Data data_from(const Json& j) {
  poll_interrupt();
  switch (j.type()) {
    case Json::value_t::null: return {};
    case Json::value_t::boolean: return Data::of(Array::filled<bool>({}, j.get<bool>()));
    case Json::value_t::string: return Data::of(Array::filled<std::string>({}, j.get<std::string>()));
    case Json::value_t::object: {
      Data out;
      out.kind = Data::Kind::record;
      for (const auto& [name, value] : j.items()) out.add(name, data_from(value));
      return out;
    }
    case Json::value_t::array: {
      if (auto vector = vector_of(j)) return Data::of(std::move(*vector));
      Data out;
      out.kind = Data::Kind::list;
      for (const auto& item : j) out.items.push_back(data_from(item));
      const bool rows =
          !out.items.empty() && std::all_of(out.items.begin(), out.items.end(), [](const Data& d) {
            return d.kind == Data::Kind::array && d.array.axes() > 0;
          });
      if (rows)
        if (auto matrix = matrix_of(out.items)) return Data::of(std::move(*matrix));
      return out;
    }
    default:
      if (is_beyond_float64(j)) return Data::of(Array::filled<std::int64_t>({}, j.get<std::int64_t>()));
      return Data::of(Array::single(j.get<double>()));
  }
}

template <class T>
Json element_json(const T& v) {
  if constexpr (std::is_floating_point_v<T>) {
    if (std::isinf(v)) fail("JSON cannot represent inf", "save it as a text, or in another format");
    if (std::isnan(v)) return nullptr;
    // Integers without a decimal point, as other programs expect.
    constexpr double most = 1e15;
    if (v == std::trunc(v) && std::fabs(v) < most && !(v == 0 && std::signbit(v)))
      return static_cast<std::int64_t>(v);
    return v;
  } else if constexpr (std::is_same_v<T, Complex> || std::is_same_v<T, Any>) {
    fail(fmt::format("JSON cannot represent {} numbers", name_of(type_of<T>)), "save real(z) and imag(z)");
  } else {
    return v;
  }
}

Json array_json(const Array& a) {
  if (a.axes() == 0)
    return visit_type(a.type(), [&]<class T>(Tag<T>) -> Json {
      if constexpr (std::is_same_v<T, double>)
        if (holds_times(a)) return time_text(a.to_vector<T>()[0]);
      return element_json<T>(a.to_vector<T>()[0]);
    });
  Json out = Json::array();
  if (a.axes() > 1) {
    for (Index k = 0; k < a.extent(0); ++k) {
      Shape shape = a.shape();
      Strides strides = a.strides();
      const auto offset = a.offset() + k * strides[0];
      shape.erase(0);
      strides.erase(0);
      out.push_back(array_json(a.view(offset, shape, strides)));
    }
    return out;
  }
  visit_type(a.type(), [&]<class T>(Tag<T>) {
    std::size_t k = 0;
    for (const auto& v : a.to_vector<T>()) {
      poll_interrupt_at(k++);
      if constexpr (std::is_same_v<T, double>)
        if (holds_times(a) && std::isfinite(v)) {
          out.push_back(time_text(v));
          continue;
        }
      out.push_back(element_json<T>(v));
    }
  });
  return out;
}

// "depth (m)" for a column with a unit, as in tables.
std::string name_with_unit(const std::string& name, const Data& field) {
  if (field.kind != Data::Kind::array || !field.array.label || field.array.label->unit.empty() ||
      holds_times(field.array))
    return name;
  return fmt::format("{} ({})", name, field.array.label->unit);
}

Json json_of(const Data& data) {
  switch (data.kind) {
    case Data::Kind::parts:  // written by the formats that have parts alone
    case Data::Kind::none: return nullptr;
    case Data::Kind::array: return array_json(data.array);
    case Data::Kind::list: {
      Json out = Json::array();
      for (const auto& item : data.items) out.push_back(json_of(item));
      return out;
    }
    case Data::Kind::record: {
      Json out = Json::object();
      for (std::size_t k = 0; k < data.items.size(); ++k)
        out[name_with_unit(data.names[k], data.items[k])] = json_of(data.items[k]);
      return out;
    }
  }
  return nullptr;
}

}  // namespace

Data read_json(std::string_view bytes, const std::string& name, const CsvOptions&) {
  // Parser and value functions recurse.
  constexpr int deepest = 150;
  std::size_t events = 0;
  const auto callback = [&](int depth, Json::parse_event_t, Json&) {
    poll_interrupt_at(events++);
    if (depth > deepest) fail(fmt::format("{} is nested more than {} levels deep", name, deepest));
    return true;
  };
  refuse_rounded_digits(bytes, name);
  try {
    auto json = Json::parse(bytes.begin(), bytes.end(), callback);
    if (is_with_provenance(json)) {
      Json value = std::move(json["value"]);
      json = std::move(value);
    }
    auto data = data_from(json);
    // Units in the names of columns, as in tables.
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
    return data;
  } catch (const Json::parse_error& error) {
    const auto at = std::min<std::size_t>(error.byte > 0 ? error.byte - 1 : 0, bytes.size());
    const auto before = bytes.substr(0, at);
    const auto line = 1 + std::count(before.begin(), before.end(), '\n');
    const auto start = before.rfind('\n');
    fail(fmt::format("{}, line {}, column {}: this is not valid JSON", name, line,
                     at - (start == before.npos ? 0 : start + 1) + 1));
  } catch (const Json::exception& error) {
    fail(fmt::format("{} cannot be read: {}", name, json_fault(error)));
  }
}

namespace {

// The text of a part of a value, which takes the library long when it is large.
std::string text_of(const Json& part, const std::shared_ptr<const Json>& whole) {
  constexpr std::size_t many = 1000;
  if (part.size() < many) return part.dump();
  const auto text = std::make_shared<std::string>();
  run_or_leave([text, &part] { *text = part.dump(); }, whole);
  return std::move(*text);
}

}  // namespace

std::string write_json(const Data& data, const SaveOptions& options) {
  try {
    const auto whole = std::make_shared<const Json>(json_of(data));
    const auto& json = *whole;
    // Beside the value, on a line of its own.
    if (!options.provenance.empty())
      return fmt::format("{{\n \"{}\": {},\n \"value\": {}\n}}\n", kProvenanceKey, options.provenance,
                         text_of(json, whole));
    if (!json.is_object() || json.empty()) return text_of(json, whole) + "\n";
    // A line for each field, so that two files can be compared line by line.
    std::string out = "{";
    for (const auto& [name, value] : json.items())
      out += fmt::format("{}\n {}: {}", out.size() > 1 ? "," : "", Json(name).dump(), text_of(value, whole));
    return out + "\n}\n";
  } catch (const Json::exception& error) {
    fail(fmt::format("JSON cannot represent this: {}", json_fault(error)));
  }
}

}  // namespace quill
