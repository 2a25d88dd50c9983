// Runs a fuzz target on every file of the folders given.
#include <cstdint>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <sstream>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size);

int main(int count, char** arguments) {
  int runs = 0;
  for (int k = 1; k < count; ++k)
    for (const auto& entry : std::filesystem::directory_iterator(arguments[k])) {
      std::ifstream file(entry.path(), std::ios::binary);
      std::ostringstream text;
      text << file.rdbuf();
      const auto bytes = text.str();
      LLVMFuzzerTestOneInput(reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size());
      ++runs;
    }
  std::printf("%d seeds replayed\n", runs);
  return runs > 0 ? 0 : 1;
}
