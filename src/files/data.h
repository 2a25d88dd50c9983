// What files hold: arrays, and lists and records of such things. Formats read and write it, and know nothing
// of the values of the language.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "array/array.h"
#include "files/csv.h"

namespace quill {

struct Data {
  enum class Kind : std::uint8_t { none, array, list, record };
  Kind kind = Kind::none;
  Array array;                     // a single number, text or boolean has no axes
  std::vector<Data> items;         // of a list, or the fields of a record
  std::vector<std::string> names;  // of the fields

  static Data of(Array a);
  void add(std::string name, Data field);
};
inline Data Data::of(Array a) {
  Data out;
  out.kind = Kind::array;
  out.array = std::move(a);
  return out;
}

inline void Data::add(std::string name, Data field) {
  names.push_back(std::move(name));
  items.push_back(std::move(field));
}

// The columns of a record of vectors; nothing when it is no table.
std::optional<std::vector<Column>> table_of(const Data& data);
Data data_of(std::vector<Column> columns);

}  // namespace quill
