// Writes the manual page and the completions of shells into a folder.
#include <cstdio>
#include <filesystem>
#include <fstream>

#include "app/manual.h"

int main(int count, char** arguments) {
  if (count != 2) {
    std::fputs("usage: make_manual FOLDER\n", stderr);
    return 2;
  }
  const std::filesystem::path folder(arguments[1]);
  std::filesystem::create_directories(folder);
  std::ofstream(folder / "eager-quill.1") << quill::manual_page();
  std::ofstream(folder / "eager-quill.bash") << quill::bash_completion();
  std::ofstream(folder / "_eager-quill") << quill::zsh_completion();
  return 0;
}
