// Any bytes are a table or an Error, and a table that was read can be written and read again.
#include <cstdint>
#include <cstdlib>

#include "files/csv.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  std::vector<quill::Column> columns;
  try {
    columns = quill::read_csv(std::string_view(reinterpret_cast<const char*>(data), size), "fuzz.csv");
  } catch (const quill::Error&) { return 0; }
  const auto text = quill::write_csv(columns);
  const auto again = quill::read_csv(text, "again.csv");
  if (again.size() != columns.size()) std::abort();
  for (std::size_t k = 0; k < columns.size(); ++k)
    if (columns[k].values.type() == quill::ElementType::text &&
        (again[k].values.type() != quill::ElementType::text ||
         again[k].values.to_vector<std::string>() != columns[k].values.to_vector<std::string>()))
      std::abort();
  return 0;
}
