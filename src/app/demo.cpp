// Tested by tests/cli/demo_test.cpp.
#include "app/demo.h"

#include <fmt/format.h>

#include "base/text.h"
#include "session/session.h"

namespace quill {

namespace {

constexpr std::string_view kScript = "lake/volume.eq";

}  // namespace

int run_demo(RealHost& host, TextOutput& output, const CommandLine& line) {
  const std::string folder = line.subject.empty() ? "velm" : line.subject;
  // All is looked at before anything is written.
  std::vector<std::string> in_the_way;
  for (const auto& file : demo_files()) {
    const auto there = host.read_file(path_below(folder, std::string(file.name)));
    if (there.ok() && there.value != file.bytes) in_the_way.emplace_back(file.name);
  }
  if (!in_the_way.empty())
    fail(fmt::format("{} holds other files under the names of the demo: {}", folder,
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
      fmt::format("\nThe survey of Lake Velm is in {0}: {1} files, of which {2} ran.\n"
                  "It wrote a figure, a table and the record of the run into {3}. What to try next:\n"
                  "  eager-quill verify {3}\n"
                  "    runs it again and compares\n"
                  "  eager-quill trace {3}/volume.png\n"
                  "    says where the figure comes from\n"
                  "  eager-quill run {2} --set cell=10 --out {0}/fine\n"
                  "    on a finer grid\n"
                  "  eager-quill run {0}/inflow_volume.eq --out {0}/inflow\n"
                  "    another script of the survey\n"
                  "  eager-quill report {0}/heat.eq -o heat.html\n"
                  "    a page with its prose, formulas and a figure\n"
                  "  eager-quill watch {2}\n"
                  "    runs it again, where it changed, whenever you save it\n"
                  "  eager-quill check {0}/*.eq\n"
                  "    what can be said of all of them without running\n",
                  folder, demo_files().size(), options.script_path, out));
  return 0;
}

}  // namespace quill
