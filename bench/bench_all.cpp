// Scripts against hand-written C++ of the same work, in the same run; the table at the end shows the ratios.
#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <cstdlib>

#include <algorithm>
#include <cstdio>
#include <map>
#include <string>

#include "array_benchmarks.h"
#include "figure_benchmarks.h"
#include "file_benchmarks.h"
#include "statement.h"
#include "twins.h"

namespace {

constexpr std::size_t kSide = 2000;

const std::string kMatrices = "seed(1)\na = random(2000, 2000)\nb = random(2000, 2000)\nc = a\n";

std::vector<double> numbers() {
  std::vector<double> v(kSide * kSide);
  for (std::size_t i = 0; i < v.size(); ++i) v[i] = static_cast<double>(i % 1000) / 1000;
  return v;
}

template <class F>
void twin(benchmark::State& state, F f) {
  const auto a = numbers(), b = numbers();
  std::vector<double> out(a.size());
  for (auto _ : state) {
    f(a, b, out);
    benchmark::DoNotOptimize(out.data());
  }
}

// A table of 25 MB.
std::string table_text() {
  std::string out = "time (s),depth (m),temperature (°C),count\n";
  for (std::int64_t k = 0; k < 900000; ++k)
    out += fmt::format("{:.2f},{:.4f},{:.3f},{}\n", static_cast<double>(k) * 0.25,
                       static_cast<double>(k * 7919 % 400000) / 1e4,
                       4 + static_cast<double>(k * 104729 % 18000) / 1e3, k % 9973);
  return out;
}

// Collects the times of each benchmark for the table of ratios of their medians.
class Ratios : public benchmark::ConsoleReporter {
 public:
  void ReportRuns(const std::vector<Run>& runs) override {
    for (const auto& run : runs) {
      if (run.run_type == Run::RT_Aggregate) continue;
      times_[run.run_name.function_name].push_back(run.GetAdjustedRealTime());
    }
    ConsoleReporter::ReportRuns(runs);
  }
  void Finalize() override {
    for (const auto& [other, what] : {std::pair<std::string, const char*>{"c++", "hand-written C++"},
                                      {"lua", "the same in Lua 5.4"},
                                      {"cairo", "the drawing library alone"}}) {
      std::printf("\nratio of the script to %s\n", what);
      for (const auto& [name, times] : times_) {
        const auto at = name.find("/script");
        const auto twin =
            at == std::string::npos ? times_.end() : times_.find(name.substr(0, at) + "/" + other);
        if (twin != times_.end())
          std::printf("  %-56s %6.2f\n", name.substr(0, at).c_str(), median(times) / median(twin->second));
      }
    }
  }

 private:
  static double median(std::vector<double> times) {
    const auto middle = times.begin() + static_cast<std::ptrdiff_t>(times.size() / 2);
    std::nth_element(times.begin(), middle, times.end());
    return *middle;
  }
  std::map<std::string, std::vector<double>> times_;
};

}  // namespace

int main(int argc, char** argv) {
  using benchmark::RegisterBenchmark;
  const auto unit = benchmark::kMillisecond;
  RegisterBenchmark("expression/script",
                    [](benchmark::State& s) { time_statement(s, kMatrices, "c = (a + b) * 0.5 - a * a / (b + 2)"); })
      ->Unit(unit)
      ->Repetitions(3);
  RegisterBenchmark("expression/c++", [](benchmark::State& s) { twin(s, twins::expression); })
      ->Unit(unit)
      ->Repetitions(3);
  RegisterBenchmark("elementary/script",
                    [](benchmark::State& s) { time_statement(s, kMatrices, "c = sin(a) * exp(-b)"); })
      ->Unit(unit)
      ->Repetitions(3);
  RegisterBenchmark("elementary/c++", [](benchmark::State& s) { twin(s, twins::elementary); })
      ->Unit(unit)
      ->Repetitions(3);
  RegisterBenchmark("sum/script", [](benchmark::State& s) { time_statement(s, kMatrices, "s = sum(a)"); })
      ->Unit(unit)
      ->Repetitions(3);
  RegisterBenchmark("sum/c++",
                    [](benchmark::State& s) {
                      const auto a = numbers();
                      for (auto _ : s) benchmark::DoNotOptimize(twins::sum(a));
                    })
      ->Unit(unit)
      ->Repetitions(3);
  RegisterBenchmark(
      "scalar loop/script",
      [](benchmark::State& s) { time_statement(s, "s = 0", "s = 0\nfor k in 1..1000000 { s += k % 7 * 0.5 }"); })
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
  register_file_benchmarks();
  register_array_benchmarks();
  benchmark::Initialize(&argc, argv);
  Ratios reporter;
  benchmark::RunSpecifiedBenchmarks(&reporter);
  return 0;
}
