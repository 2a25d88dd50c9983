// The demo project: scripts and data that are part of the program.
#pragma once

#include <span>
#include <string_view>

#include "app/options.h"

namespace quill {

struct DemoFile {
  std::string_view name;  // below the folder of the project
  std::string_view bytes;
};
std::span<const DemoFile> demo_files();

// Puts the project into a folder, never over a file that is another one, runs it, and says what to try next.
int run_demo(RealHost& host, TextOutput& output, const CommandLine& line);

}  // namespace quill
