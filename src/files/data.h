// Contents of files: arrays, and lists and records of these. Formats read and write them without knowing the
// values of the language.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "array/array.h"
#include "files/csv.h"

namespace quill {

// An array whose elements are produced part by part, in row order, while it is written.
class DataInParts {
 public:
  virtual ~DataInParts() = default;
  // Label and type, without elements.
  virtual Array sample() const = 0;
  virtual Shape shape() const = 0;
  using Take = std::function<void(const std::vector<Index>& start, const Array& elements)>;
  virtual void for_each_part(const Take& take) const = 0;
  // A part of a vector, and a length that is read efficiently at once.
  virtual Array elements(Index begin, Index count) const = 0;
  virtual Index efficient_length() const = 0;
};

struct Data {
  enum class Kind : std::uint8_t { none, array, list, record, parts };
  Kind kind = Kind::none;
  Array array;  // single numbers, texts and booleans have no axes
  std::shared_ptr<const DataInParts> parts{};
  std::vector<Data> items;         // elements of a list, or fields of a record
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

// Bytes of all elements, and about a kB for each array, as a file of them takes.
std::int64_t bytes_of(const Data& data);

// Gets a text piece by piece.
using TextTaker = std::function<void(std::string_view text)>;
// The same as write_csv() for arrays in parts, and for records of arrays of both kinds.
void put_csv(const Data& data, char delimiter, const TextTaker& take);

// Columns of a record of vectors; nothing if it is not a table.
std::optional<std::vector<Column>> table_of(const Data& data);
Data data_of(std::vector<Column> columns);

}  // namespace quill
