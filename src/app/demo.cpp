#include "app/demo.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>

#include "base/text.h"
#include "session/session.h"

namespace quill {

namespace {

constexpr std::string_view kScript = "lake/volume.eq";

// How the program can be started here: by name if it is on the PATH, else by path.
std::string program_name() {
  namespace fs = std::filesystem;
  std::error_code error;
  const auto program = fs::read_symlink("/proc/self/exe", error);
  if (error) return "eager-quill";
  const char* folders = std::getenv("PATH");
  for (std::string_view rest = folders ? folders : ""; !rest.empty();) {
    const auto folder = rest.substr(0, rest.find(':'));
    rest.remove_prefix(std::min(rest.size(), folder.size() + 1));
    if (fs::equivalent(fs::path(folder) / program.filename(), program, error))
      return program.filename().string();
  }
  const auto relative = program.lexically_relative(fs::current_path(error));
  return relative.empty() || *relative.begin() == ".." ? program.string() : relative.string();
}

}  // namespace

int run_demo(RealHost& host, TextOutput& output, const CommandLine& line) {
  const std::string folder = line.subject.empty() ? "velm" : line.subject;
  // Checks everything before writing anything.
  std::vector<std::string> in_the_way;
  for (const auto& file : demo_files()) {
    const auto there = host.read_file(path_below(folder, std::string(file.name)));
    if (there.ok() && there.value != file.bytes) in_the_way.emplace_back(file.name);
  }
  if (!in_the_way.empty())
    fail(fmt::format("{} contains other files with the names of demo files: {}", folder,
                     list_in_prose(in_the_way)),
         "eager-quill demo another-folder");
  std::string script;
  for (const auto& file : demo_files()) {
    const auto path = path_below(folder, std::string(file.name));
    if (file.name == kScript) script = file.bytes;
    if (host.read_file(path).ok()) continue;
    const auto written = host.write_file(path, file.bytes);
    if (!written.ok()) fail(fmt::format("cannot write {}: {}", path, written.reason));
  }
  SessionOptions options;
  options.script_path = path_below(folder, std::string(kScript));
  options.script_folder = path_below(folder, "lake");
  options.out_folder = path_below(folder, "out");
  options.keeps = Keeps::everything;
  Session session(host, output, options);
  const bool ran = session.run("volume.eq", script);
  session.tell_summary();
  const bool recorded = session.write_record();
  if (!ran || !recorded) return 1;
  const auto& out = options.out_folder;
  output.message(
      fmt::format("\nThe survey of Lake Velm is in {0}: {1} files. The script {2} ran and wrote a figure, a "
                  "table and the\n"
                  "record of the run to {3}. Commands to try next:\n"
                  "  {4} verify {3}\n"
                  "    re-run and compare every output\n"
                  "  {4} trace {3}/volume.png\n"
                  "    print the script and inputs of the figure\n"
                  "  {4} run {2} --set cell=10 --out {0}/fine\n"
                  "    run on a finer grid\n"
                  "  {4} run {0}/inflow_volume.eq --out {0}/inflow\n"
                  "    run another script of the survey\n"
                  "  {4} report {0}/heat.eq -o heat.html\n"
                  "    write a report with prose, formulas and a figure\n"
                  "  {4} watch {2}\n"
                  "    re-run what a change affects, at every save\n"
                  "  {4} sweep {0}/flood_level.eq --vary \"width=2..10 by 2\"\n"
                  "    run a script for many inputs, into one table\n"
                  "  {4} check {0}/*.eq\n"
                  "    find errors without running\n",
                  folder, demo_files().size(), options.script_path, out, program_name()));
  return 0;
}

}  // namespace quill
