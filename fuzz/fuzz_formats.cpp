// Any bytes under any ending are data or an Error, and data that was read can be written and read again. The
// first byte chooses the ending.
#include <array>
#include <cstdint>
#include <cstdlib>
#include <string>

#include "base/error.h"
#include "files/formats.h"

namespace {

// Whether both have the same arrays in the same places; numbers are compared by their shapes alone.
bool alike(const quill::Data& a, const quill::Data& b) {
  if (a.kind != b.kind || a.items.size() != b.items.size()) return false;
  if (a.kind == quill::Data::Kind::array && !(a.array.shape() == b.array.shape())) return false;
  for (std::size_t k = 0; k < a.items.size(); ++k)
    if (!alike(a.items[k], b.items[k])) return false;
  return true;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
  if (size == 0) return 0;
  constexpr std::array<const char*, 9> names = {"f.json", "f.mtx", "f.png",  "f.txt", "f.gz",
                                                "f",      "f.h5",  "f.xlsx", "f.nc"};
  const std::string name = names[bytes[0] % names.size()];
  std::string text(reinterpret_cast<const char*>(bytes + 1), size - 1);
  try {
    if (name == "f.gz") text = quill::unzipped(text, name);
    const auto& format = quill::format_to_read(name, text);
    const auto data = format.read(text, name, {});
    // Two keys of one name, and empty brackets, have no second form.
    const auto again = format.read(format.write(data, {}), name, {});
    if (name == "f.mtx" && !alike(data, again)) std::abort();
    if (name == "f.png" && !alike(data, again)) std::abort();
  } catch (const quill::Error&) { return 0; }
  return 0;
}
