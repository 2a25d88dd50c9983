// Writes the reference manual below the folder that is named.
#include <cstdio>
#include <filesystem>
#include <fstream>

#include "builtins/reference.h"

int main(int count, char** arguments) {
  if (count != 2) {
    std::fputs("usage: make_reference FOLDER\n", stderr);
    return 2;
  }
  const std::filesystem::path folder(arguments[1]);
  std::filesystem::remove_all(folder);
  std::filesystem::create_directories(folder);
  for (const auto& [name, text] : quill::reference_pages()) std::ofstream(folder / name) << text;
}
