#include "session/kept_values.h"

#include <fmt/format.h>

#include <bit>
#include <map>
#include <nlohmann/json.hpp>

#include "base/text.h"
#include "builtins/tables.h"
#include "files/formats.h"
#include "files/json_text.h"
#include "session/alike.h"
#include "session/json_whole.h"
#include "value/construct.h"

namespace quill {

namespace {

using Json = nlohmann::ordered_json;
constexpr int kForm = 1;
constexpr std::string_view kMark = "eager-quill variables";

// Reason why a value cannot be saved.
struct NotKept {
  std::string why;
};

// Numbers as bits, since decimal JSON numbers may be rounded.
Json bits_of(double x) { return std::bit_cast<std::uint64_t>(x); }
double of_bits(const Json& j) { return std::bit_cast<double>(whole<std::uint64_t>(j)); }

class Writer {
 public:
  Writer() { values_.kind = Data::Kind::record; }

  Json put(const Value& given, const std::string& path) {
    const auto value = plain_value(given);
    switch (value.kind()) {
      case Kind::none: return {{"kind", "none"}};
      case Kind::number: return {{"kind", "number"}, {"bits", bits_of(value.number())}};
      case Kind::boolean: return {{"kind", "truth"}, {"is", value.boolean()}};
      case Kind::text:
      case Kind::array: return array(value, path);
      case Kind::range: return range(value.object<RangeObject>());
      case Kind::tuple: return items("tuple", value.object<TupleObject>().items, path);
      case Kind::record: return record(value.object<RecordObject>(), path);
      case Kind::dictionary: return dictionary(value.object<DictionaryObject>(), path);
      case Kind::function: return function(value.object<FunctionObject>());
      case Kind::builtin:
        return {{"kind", "builtin"}, {"name", std::string(value.object<BuiltinObject>().row->name)}};
      default: throw NotKept{fmt::format("{} cannot be saved", kind_in_words(value))};
    }
  }
  // Position to return to if a variable cannot be saved.
  std::size_t mark() const { return values_.items.size(); }
  void back_to(std::size_t mark) {
    values_.items.resize(mark);
    values_.names.resize(mark);
  }
  Data take() { return std::move(values_); }

 private:
  Json array(const Value& value, const std::string& path) {
    const auto a = to_array(value);
    Json out = {{"kind", value.is(Kind::text) ? "text" : "array"}};
    if (a.label) out["label"] = {a.label->name, a.label->unit};
    if (a.label && !a.label->axes.empty()) out["axes"] = a.label->axes;
    if (a.type() == ElementType::any) {
      std::vector<Value> elements;
      for (const auto& element : a.to_vector<Any>()) elements.push_back(element_value(element));
      out = items("mixed", elements, path);
      out["shape"] = std::vector<Index>(a.shape().begin(), a.shape().end());
      return out;
    }
    if (a.type() == ElementType::text)
      for (const auto& text : a.to_vector<std::string>())
        if (text.find('\0') != std::string::npos) throw NotKept{"a text contains a zero byte"};
    values_.add(path, Data::of(a));
    out["path"] = path;
    return out;
  }
  static Json range(const RangeObject& r) {
    return {{"kind", "range"},
            {"first", bits_of(r.first)},
            {"last", bits_of(r.last)},
            {"step", bits_of(r.step)},
            {"end", bits_of(r.end)},
            {"count", r.count},
            {"from_both_ends", r.from_both_ends}};
  }
  Json items(const char* kind, std::span<const Value> values, const std::string& path) {
    Json list = Json::array();
    for (std::size_t k = 0; k < values.size(); ++k)
      list.push_back(put(values[k], fmt::format("{}.{}", path, k + 1)));
    return {{"kind", kind}, {"items", list}};
  }
  Json record(const RecordObject& value, const std::string& path) {
    Json names = Json::array(), list = Json::array();
    for (const auto& [name, field] : value.fields) {
      names.push_back(name);
      list.push_back(put(field, fmt::format("{}.{}", path, name)));
    }
    return {{"kind", "record"}, {"names", names}, {"items", list}};
  }
  Json dictionary(const DictionaryObject& value, const std::string& path) {
    Json keys = Json::array(), list = Json::array();
    std::size_t k = 0;
    for (const auto& [key, item] : value.entries) {
      keys.push_back(put(key, fmt::format("{}.key{}", path, ++k)));
      list.push_back(put(item, fmt::format("{}.{}", path, k)));
    }
    return {{"kind", "dictionary"}, {"keys", keys}, {"items", list}};
  }
  static Json function(const FunctionObject& f) {
    if (!f.captured.empty()) throw NotKept{"the function contains values from where it was created"};
    const auto text = text_of(*f.function);
    if (text.empty()) throw NotKept{"the source of the function is unknown"};
    return {{"kind", "function"}, {"name", f.head.name}, {"text", std::string(text)}};
  }

  Data values_;
};

class Reader {
 public:
  Reader(Data values, Session& session) : session_(session) {
    for (std::size_t k = 0; k < values.items.size(); ++k)
      arrays_[values.names[k]] = std::move(values.items[k].array);
  }

  Value get(const Json& j, const std::string& variable, int depth = 0) {
    constexpr int deepest = 200;
    if (depth > deepest) throw std::runtime_error("it is nested too deeply");
    const auto kind = j.at("kind").get<std::string>();
    const auto items = [&] {
      std::vector<Value> out;
      for (const auto& item : j.at("items")) out.push_back(get(item, variable, depth + 1));
      return out;
    };
    if (kind == "none") return Value::none();
    if (kind == "number") return Value(of_bits(j.at("bits")));
    if (kind == "truth") return Value::boolean(j.at("is").get<bool>());
    if (kind == "text" || kind == "array") return array(j, kind == "text");
    if (kind == "range") return range(j);
    if (kind == "tuple") return Value::tuple(items());
    if (kind == "mixed") return mixed(j, items());
    if (kind == "record") return record(j, items());
    if (kind == "dictionary") return dictionary(j, items(), variable, depth);
    if (kind == "builtin") {
      const int row = builtins().find(j.at("name").get<std::string>());
      if (row < 0) throw std::runtime_error("it uses a built-in that does not exist");
      return Value::builtin(builtins().row(row));
    }
    if (kind == "function")
      return session_.function_of(j.at("text").get<std::string>(), j.at("name").get<std::string>(), variable);
    throw std::runtime_error("it contains a value that this version does not know");
  }

 private:
  Value array(const Json& j, bool is_text) {
    auto a = arrays_.at(j.at("path").get<std::string>());
    a.label = nullptr;
    if (j.contains("label")) {
      const auto& label = j.at("label");
      a.label =
          std::make_shared<const Label>(Label{label.at(0).get<std::string>(), label.at(1).get<std::string>(),
                                              j.value("axes", std::vector<std::string>())});
    }
    if (!is_text) return Value(Kind::array, new ArrayObject(std::move(a)));
    if (a.type() != ElementType::text || a.size() != 1) throw std::runtime_error("a text is missing");
    return Value::text(a.to_vector<std::string>()[0]);
  }
  static Value range(const Json& j) {
    auto* r = new RangeObject;
    const Value out(Kind::range, r);
    r->first = of_bits(j.at("first"));
    r->last = of_bits(j.at("last"));
    r->step = of_bits(j.at("step"));
    r->end = of_bits(j.at("end"));
    r->count = whole<Index>(j.at("count"));
    r->from_both_ends = j.at("from_both_ends").get<bool>();
    if (r->count < 0 || r->count > (Index{1} << 53)) throw std::runtime_error("a range has no such length");
    return out;
  }
  static Value mixed(const Json& j, const std::vector<Value>& items) {
    Shape shape;
    if (j.at("shape").size() > kMostAxes) throw std::runtime_error("a shape has too many axes");
    for (const auto& extent : j.at("shape")) {
      shape.push_back(whole<Index>(extent));
      if (shape.back() < 0 || shape.back() > static_cast<Index>(items.size()))
        throw std::runtime_error("a shape does not fit");
    }
    if (size_of(shape) != static_cast<Index>(items.size())) throw std::runtime_error("a shape does not fit");
    std::vector<Any> elements;
    for (const auto& item : items) elements.emplace_back(new ValueContent(item));
    return Value(Kind::array, new ArrayObject(Array::of<Any>(shape, elements)));
  }
  static Value record(const Json& j, std::vector<Value> items) {
    const auto names = j.at("names").get<std::vector<std::string>>();
    if (names.size() != items.size()) throw std::runtime_error("a record does not fit its names");
    std::vector<std::pair<std::string, Value>> fields;
    for (std::size_t k = 0; k < names.size(); ++k) fields.emplace_back(names[k], std::move(items[k]));
    return Value::record(std::move(fields));
  }
  Value dictionary(const Json& j, const std::vector<Value>& items, const std::string& variable, int depth) {
    auto* d = new DictionaryObject;
    Value out(Kind::dictionary, d);
    const auto& keys = j.at("keys");
    if (keys.size() != items.size()) throw std::runtime_error("a dictionary does not fit its keys");
    for (std::size_t k = 0; k < items.size(); ++k) d->set(get(keys[k], variable, depth + 1), items[k]);
    d->depth = depth_inside(items);
    return out;
  }

  Session& session_;
  std::map<std::string, Array> arrays_;
};

}  // namespace

KeptValues keep_values(const Session& session) { return keep_values(session, session.names()); }

KeptValues keep_values(const Session& session, const std::vector<std::string>& names) {
  KeptValues out;
  Writer writer;
  Json structure = {{"kept", kMark}, {"form", kForm}};
  Json& variables = structure["variables"] = Json::array();
  for (const auto& name : names) {
    const auto* value = session.find(name);
    if (!value) continue;
    const auto mark = writer.mark();
    try {
      variables.push_back({{"name", name}, {"value", writer.put(*value, name)}});
      ++out.count;
    } catch (const NotKept& not_kept) {
      writer.back_to(mark);
      out.left_out.emplace_back(name, not_kept.why);
    }
  }
  Data data;
  data.kind = Data::Kind::record;
  data.add("structure", Data::of(Array::filled<std::string>(
                            {}, structure.dump(-1, ' ', false, Json::error_handler_t::replace))));
  data.add("values", writer.take());
  out.bytes = write_hdf5(data, {});
  return out;
}

bool holds_kept_values(std::string_view bytes) {
  return is_hdf5(bytes) && bytes.find(kMark) != std::string_view::npos;
}

std::vector<std::string> restore_values(Session& session, std::string_view bytes, const std::string& name) {
  if (!is_hdf5(bytes))
    fail(fmt::format("{} is not a file of saved variables", name), ":save work.h5 writes one");
  auto data = read_hdf5(bytes, name, {});
  std::vector<std::pair<std::string, Value>> found;
  const Snapshot before(session.state);
  try {
    if (data.kind != Data::Kind::record || data.names.size() != 2 || data.names[0] != "structure" ||
        data.items[0].kind != Data::Kind::array || data.items[0].array.type() != ElementType::text)
      fail(fmt::format("{} is not a file of saved variables", name),
           fmt::format("values = load(\"{}\") reads any HDF5 file", name));
    const auto structure = parsed_json(data.items[0].array.to_vector<std::string>().at(0));
    if (whole<int>(structure.at("form")) > kForm)
      fail(fmt::format("{} was written by a newer version of the program", name));
    Reader reader(std::move(data.items[1]), session);
    for (const auto& variable : structure.at("variables")) {
      const auto variable_name = variable.at("name").get<std::string>();
      found.emplace_back(variable_name, reader.get(variable.at("value"), variable_name));
    }
  } catch (const Error&) {
    before.restore(session.state);
    throw;
  } catch (const std::exception& wrong) {
    before.restore(session.state);
    fail(fmt::format("{} is damaged: {}", name, json_fault(wrong)));
  }
  std::vector<std::string> names;
  for (auto& [variable, value] : found) {
    session.set(variable, std::move(value));
    names.push_back(variable);
  }
  return names;
}

}  // namespace quill
