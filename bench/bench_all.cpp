// Scripts against hand-written C++ of the same work, in the same run; the table at the end shows the ratios.
#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cstdio>
#include <cstdlib>
#include <ctime>
#include <fstream>
#include <map>
#include <string>
#include <thread>

#include "array_benchmarks.h"
#include "base/time_text.h"
#include "call_benchmarks.h"
#include "figure_benchmarks.h"
#include "file_benchmarks.h"
#include "fusion/kernels.h"
#include "loop_benchmarks.h"
#include "method_benchmarks.h"
#include "statement.h"
#include "statistics_benchmarks.h"
#include "twins.h"

namespace {

// A table of 25 MB.
std::string table_text() {
  std::string out = "time (s),depth (m),temperature (°C),count\n";
  for (std::int64_t k = 0; k < 900000; ++k)
    out += fmt::format("{:.2f},{:.4f},{:.3f},{}\n", static_cast<double>(k) * 0.25,
                       static_cast<double>(k * 7919 % 400000) / 1e4,
                       4 + static_cast<double>(k * 104729 % 18000) / 1e3, k % 9973);
  return out;
}

double median(std::vector<double> times) {
  const auto middle = times.begin() + static_cast<std::ptrdiff_t>(times.size() / 2);
  std::nth_element(times.begin(), middle, times.end());
  return *middle;
}

struct Work {
  std::string name;
  std::vector<double> script;
  std::map<std::string, std::vector<double>> others;  // by who did the same
};

// Collects the times of all repetitions for the tables of ratios of their medians.
class Ratios : public benchmark::ConsoleReporter {
 public:
  void ReportRuns(const std::vector<Run>& runs) override {
    for (const auto& run : runs) {
      if (run.run_type == Run::RT_Aggregate) continue;
      const auto& full = run.run_name.function_name;
      const auto at = full.rfind('/');
      auto& work = of(full.substr(0, at));
      const auto who = full.substr(at + 1);
      (who == "script" ? work.script : work.others[who]).push_back(run.GetAdjustedRealTime() / unit_of(run));
    }
    ConsoleReporter::ReportRuns(runs);
  }
  // The tables as Markdown.
  std::string tables() const {
    std::string out;
    for (const auto& [who, title] : {std::pair("c++", "hand-written C++"),
                                     {"lua", "the same in Lua 5.4"},
                                     {"cairo", "the drawing library alone"}}) {
      std::string rows;
      for (const auto& work : works_) {
        const auto other = work.others.find(who);
        if (work.script.empty() || other == work.others.end()) continue;
        const double script = median(work.script), twin = median(other->second);
        rows += fmt::format("| `{}` | {} | {} | {:.2f} |\n", work.name, quill::duration_in_prose(script),
                            quill::duration_in_prose(twin), script / twin);
      }
      if (!rows.empty())
        out += fmt::format("\n| work | script | {} | ratio |\n|---|---|---|---|\n{}", title, rows);
    }
    return out;
  }

 private:
  static double unit_of(const Run& run) { return benchmark::GetTimeUnitMultiplier(run.time_unit); }
  Work& of(const std::string& name) {
    for (auto& work : works_)
      if (work.name == name) return work;
    return works_.emplace_back(Work{name, {}, {}});
  }
  std::vector<Work> works_;  // in the order in which they ran
};

std::string processor() {
  std::ifstream file("/proc/cpuinfo");
  for (std::string line; std::getline(file, line);)
    if (line.starts_with("model name")) return line.substr(line.find(": ") + 2);
  return "an unknown processor";
}

// What docs/performance.md says.
std::string page(const Ratios& ratios) {
  std::array<char, 32> date{};
  const auto now = std::time(nullptr);
  std::strftime(date.data(), date.size(), "%B %Y", std::localtime(&now));
  return fmt::format(
      "# Performance\n\n"
      "Scripts compared with hand-written C++ of the same work, measured in one run of `./dev bench`: "
      "medians of nine runs for "
      "arrays, of three for the rest, on {} processors ({}), {}, with the {} kernels. The C++ of array work "
      "is fused loops "
      "compiled for this processor, with SLEEF's functions; ratios below 1 are work that the script "
      "distributes to threads or "
      "that a library does better. Times depend on the machine and its noise; compare the ratios.\n{}\n"
      "A statement on ten numbers costs about 0.1 µs for choosing the kernel and allocating the result, plus "
      "its functions. HDF5 "
      "files are read and written through memory, for the sandbox, for the digest of exactly what was read, "
      "and so that they are "
      "written completely or not at all. Lines of figures are checked point by point: which are finite, "
      "their extent, and their "
      "pixel column.\n",
      std::thread::hardware_concurrency(), processor(), date.data(),
      quill::fusion::name_of(quill::fusion::instruction_set()), ratios.tables());
}

}  // namespace

int main(int argc, char** argv) {
  using benchmark::RegisterBenchmark;
  const auto unit = benchmark::kMillisecond;
  RegisterBenchmark("scalar loop/script",
                    [](benchmark::State& s) {
                      time_statement(s, "s = 0", "s = 0\nfor k in 1..1000000 { s += k % 7 * 0.5 }");
                    })
      ->Unit(unit)
      ->Repetitions(3);
  RegisterBenchmark("scalar loop/c++",
                    [](benchmark::State& s) {
                      for (auto _ : s) benchmark::DoNotOptimize(twins::scalar_loop(1000000));
                    })
      ->Unit(unit)
      ->Repetitions(3);
  RegisterBenchmark("solve 1000/script",
                    [](benchmark::State& s) {
                      time_statement(s, "seed(1)\na = random(1000, 1000)\nb = random(1000)\nx = b\n",
                                     "x = solve(a, b)");
                    })
      ->Unit(unit)
      ->UseRealTime()
      ->Repetitions(5);
  RegisterBenchmark("solve 1000/c++",
                    [](benchmark::State& s) {
                      std::vector<double> a(1000 * 1000), b(1000);
                      twins::normals(a);
                      twins::normals(b);
                      double reciprocal = 0;
                      for (auto _ : s) benchmark::DoNotOptimize(twins::solved(a, b, reciprocal));
                    })
      ->Unit(unit)
      ->UseRealTime()
      ->Repetitions(5);
  RegisterBenchmark("normals/script",
                    [](benchmark::State& s) { time_statement(s, "r = 0", "r = random_normal(10^7)"); })
      ->Unit(unit)
      ->Repetitions(3);
  RegisterBenchmark("normals/c++",
                    [](benchmark::State& s) {
                      for (auto _ : s) {
                        std::vector<double> out(10000000);
                        twins::normals(out);
                        benchmark::DoNotOptimize(out.data());
                      }
                    })
      ->Unit(unit)
      ->Repetitions(3);
  RegisterBenchmark("table/script",
                    [](benchmark::State& s) {
                      quill::MemoryHost host;
                      quill::SilentOutput output;
                      quill::Session session(host, output, {});
                      host.files["t.csv"] = table_text();
                      bool ok = true;
                      for (auto _ : s) ok = session.run("bench", "t = load(\"t.csv\")") && ok;
                      if (!ok) s.SkipWithError("the script failed");
                    })
      ->Unit(unit)
      ->UseRealTime()
      ->Repetitions(3);
  RegisterBenchmark("table/c++",
                    [](benchmark::State& s) {
                      const auto text = table_text();
                      for (auto _ : s) {
                        const std::string read = text;  // the file in memory, which the host copies too
                        benchmark::DoNotOptimize(twins::table(read, 4));
                      }
                    })
      ->Unit(unit)
      ->UseRealTime()
      ->Repetitions(3);
  // Whole programs, as a user runs them, beside the same in an interpreter made for scalar code.
  const std::string yardstick = QUILL_SOURCE_DIR "/bench/yardstick/";
  for (const std::string work : {"loop", "steps"}) {
    const auto program = [](const std::string& command) {
      return [command](benchmark::State& s) {
        for (auto _ : s)
          if (std::system((command + " >/dev/null").c_str()) != 0) s.SkipWithError("the program failed");
      };
    };
    RegisterBenchmark((work + "/script").c_str(), program(QUILL_PROGRAM " run " + yardstick + work + ".eq"))
        ->Unit(unit)
        ->UseRealTime()
        ->Repetitions(3);
    RegisterBenchmark((work + "/lua").c_str(), program("lua5.4 " + yardstick + work + ".lua"))
        ->Unit(unit)
        ->UseRealTime()
        ->Repetitions(3);
  }
  register_figure_benchmarks();
  register_method_benchmarks();
  register_statistics_benchmarks();
  register_call_benchmarks();
  register_file_benchmarks();
  register_array_benchmarks();
  register_loop_benchmarks();
  benchmark::Initialize(&argc, argv);
  Ratios reporter;
  benchmark::RunSpecifiedBenchmarks(&reporter);
  std::printf("%s", reporter.tables().c_str());
  // A path that is left over: the page.
  if (argc > 1) std::ofstream(argv[1]) << page(reporter);
  return 0;
}
