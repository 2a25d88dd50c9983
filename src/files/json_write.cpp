#include <fmt/format.h>

#include <cmath>
#include <memory>
#include <nlohmann/json.hpp>

#include "base/interrupt.h"
#include "base/left_work.h"
#include "base/time_text.h"
#include "files/formats.h"
#include "files/json_fault.h"
#include "files/provenance.h"

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
