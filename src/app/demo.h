// The demo project: scripts and data that are compiled into the program.
#pragma once

#include <span>
#include <string_view>

#include "app/options.h"

namespace quill {

struct DemoFile {
  std::string_view name;  // relative to the project folder
  std::string_view bytes;
};
std::span<const DemoFile> demo_files();

// Creates the project in a folder, without replacing differing files, runs it, and suggests next steps.
int run_demo(RealHost& host, TextOutput& output, const CommandLine& line);

}  // namespace quill
