#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <memory>
#include <nlohmann/json.hpp>

#include "base/interrupt.h"
#include "base/left_work.h"
#include "base/time_text.h"
#include "files/formats.h"
#include "files/json_text.h"
#include "files/provenance.h"
#include "files/text_sink.h"

namespace quill {

namespace {

using Json = nlohmann::ordered_json;

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
  const auto array = field.parts ? field.parts->sample() : field.array;
  if (!array.label || array.label->unit.empty() || holds_times(array)) return name;
  return fmt::format("{} ({})", name, array.label->unit);
}

Json json_of(const Data& data) {
  switch (data.kind) {
    case Data::Kind::parts:  // written by put_parts()
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

// The text of a value, which takes the library long when it is large.
std::string text_of(const Data& data) {
  constexpr std::size_t many = 1000;
  const auto json = std::make_shared<const Json>(json_of(data));
  if (!json->is_structured() || json->size() < many) return json->dump();
  const auto text = std::make_shared<std::string>();
  run_or_leave([text, &json = *json] { *text = json.dump(); }, json);
  return std::move(*text);
}

// Elements in row order, with a bracket where a row begins or ends.
void put_parts(const DataInParts& parts, const TextTaker& take) {
  const auto shape = parts.shape();
  const auto sample = parts.sample();
  if (size_of(shape) == 0) return take(array_json(Array(sample.type(), shape)).dump());
  const auto axes = static_cast<std::size_t>(shape.count());
  std::vector<std::size_t> lengths;  // of rows, of rows of rows, ...
  std::size_t length = 1;
  for (int axis = shape.count() - 1; axis > 0; --axis)
    lengths.push_back(length *= static_cast<std::size_t>(shape[axis]));
  const bool has_times = holds_times(sample);
  std::size_t before = 0;
  std::string text(axes, '[');
  parts.for_each_part([&](const std::vector<Index>&, const Array& elements) {
    visit_type(elements.type(), [&]<class T>(Tag<T>) {
      for (const auto& v : elements.to_vector<T>()) {
        poll_interrupt_at(before);
        if (before > 0) {
          const auto ends = static_cast<std::size_t>(
              std::count_if(lengths.begin(), lengths.end(), [&](auto n) { return before % n == 0; }));
          text.append(ends, ']').append(",").append(ends, '[');
        }
        ++before;
        if constexpr (std::is_same_v<T, double>)
          if (has_times && std::isfinite(v)) {
            text += Json(time_text(v)).dump();
            continue;
          }
        text += element_json<T>(v).dump();
      }
    });
    take(text);
    text.clear();
  });
  take(std::string(axes, ']'));
}

bool has_parts(const Data& data) {
  return data.kind == Data::Kind::parts || std::any_of(data.items.begin(), data.items.end(), has_parts);
}

// A record with arrays in parts, with `before` and `after` each field.
void put_record(const Data& data, const char* before, const char* after, const TextTaker& take);

void put_value(const Data& data, const TextTaker& take) {
  if (data.kind == Data::Kind::parts)
    put_parts(*data.parts, take);
  else if (data.kind == Data::Kind::record && has_parts(data))
    put_record(data, "", "", take);
  else
    take(text_of(data));
}

void put_record(const Data& data, const char* before, const char* after, const TextTaker& take) {
  take("{");
  for (std::size_t k = 0; k < data.items.size(); ++k) {
    const auto name = Json(name_with_unit(data.names[k], data.items[k])).dump();
    take(fmt::format("{}{}{}:{}", k > 0 ? "," : "", before, name, *before != 0 ? " " : ""));
    put_value(data.items[k], take);
  }
  take(fmt::format("{}}}", after));
}

void put_json(const Data& data, const SaveOptions& options, const TextTaker& take) {
  try {
    if (!options.provenance.empty()) {
      // Beside the value, on a line of its own.
      take(fmt::format("{{\n \"{}\": {},\n \"value\": ", kProvenanceKey, options.provenance));
      put_value(data, take);
      take("\n}");
    } else if (data.kind == Data::Kind::record && !data.items.empty()) {
      // A line for each field, so that two files can be compared line by line.
      put_record(data, "\n ", "\n", take);
    } else {
      put_value(data, take);
    }
    take("\n");
  } catch (const Json::exception& error) {
    fail(fmt::format("JSON cannot represent this: {}", json_fault(error)));
  }
}

}  // namespace

std::string write_json(const Data& data, const SaveOptions& options) {
  std::string out;
  put_json(data, options, [&](std::string_view text) { out += text; });
  return out;
}

void make_json(const Data& data, const SaveOptions& options, const std::string& path) {
  TextSink file(path);
  put_json(data, options, [&](std::string_view text) { file.put(text); });
  file.close();
}

}  // namespace quill
