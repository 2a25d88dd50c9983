#include "array_benchmarks.h"

#include <benchmark/benchmark.h>

#include <algorithm>
#include <functional>
#include <memory>
#include <string>
#include <thread>
#include <vector>

#include "array_twins.h"
#include "base/parallel.h"
#include "statement.h"

namespace {

constexpr std::size_t kLong = 10'000'000, kSide = 3000, kGrid = 1000;

std::vector<double> wave(std::size_t n) {
  std::vector<double> out(n);
  for (std::size_t i = 0; i < n; ++i)
    out[i] = static_cast<double>(static_cast<std::int64_t>(i * 7919 % 2000003)) / 1000001.5 * 3 - 3;
  return out;
}
// The same numbers in the language.
std::string wave_text(const std::string& name, std::size_t n) {
  const auto count = std::to_string(n);
  return name + " = (0..last_one count " + count + ") * 7919 % 2000003 / 1000001.5 * 3 - 3\n";
}
std::string script_wave(const std::string& name, std::size_t n) {
  const auto text = wave_text(name, n);
  const auto at = text.find("last_one");
  return text.substr(0, at) + std::to_string(n - 1) + text.substr(at + 8);
}

// Halves for two threads, or all for one.
template <class F>
void halves(int threads, std::size_t n, F f) {
  if (threads == 1) return f(0, n);
  std::thread other([&] { f(0, n / 2); });
  f(n / 2, n);
  other.join();
}

void pair(const std::string& name, int threads, const std::string& before, const std::string& statement,
          std::function<void(benchmark::State&)> twin) {
  for (const bool is_script : {true, false}) {
    auto* added = benchmark::RegisterBenchmark((name + (is_script ? "/script" : "/c++")).c_str(),
                                               [=](benchmark::State& state) {
                                                 const int before_count = quill::thread_count();
                                                 quill::set_thread_count(threads);
                                                 if (is_script)
                                                   time_statement(state, before, statement);
                                                 else
                                                   twin(state);
                                                 quill::set_thread_count(before_count);
                                               });
    added->Unit(benchmark::kMillisecond)->Repetitions(9)->UseRealTime()->MinTime(0.05);
  }
}

// A twin that works on x, z and out of that length.
template <class F>
auto on_vectors(std::size_t n, F f) {
  return [=](benchmark::State& state) {
    const auto x = wave(n), z = wave(n);
    std::vector<double> out(n);
    for (auto _ : state) {
      f(x.data(), z.data(), out.data());
      benchmark::DoNotOptimize(out.data());
      benchmark::ClobberMemory();
    }
  };
}

void register_expressions() {
  const auto long_vectors =
      script_wave("x", kLong) + script_wave("z", kLong) + "a = 2.5\nb = 0.5\nc = 1.5\ny = x + 0\n";
  for (const int threads : {1, 2}) {
    const auto with = std::string(threads == 1 ? ", one thread" : ", two threads");
    pair("exp(-x*x)*cos(3*x)+0.5*x, 10^7" + with, threads, long_vectors, "y = exp(-x*x)*cos(3*x)+0.5*x",
         on_vectors(kLong, [threads](const double* x, const double*, double* out) {
           halves(threads, kLong,
                  [&](std::size_t from, std::size_t to) { twins::bell(x + from, out + from, to - from); });
         }));
    pair("a*x + b*z - c, 10^7" + with, threads, long_vectors, "y = a*x + b*z - c",
         on_vectors(kLong, [threads](const double* x, const double* z, double* out) {
           halves(threads, kLong, [&](std::size_t from, std::size_t to) {
             twins::combination(2.5, x + from, 0.5, z + from, 1.5, out + from, to - from);
           });
         }));
  }
  for (const std::size_t n : {std::size_t{1000}, std::size_t{10}}) {
    const auto before = script_wave("x", n) + script_wave("z", n) + "a = 2.5\nb = 0.5\nc = 1.5\n";
    const int times = n == 10 ? 20000 : 1000;  // so that making the loop ready does not count
    const auto count = ", length " + std::to_string(n) + ", " + std::to_string(times) + " times";
    const auto loop = [&](const std::string& statement) {
      return "for k in 1.." + std::to_string(times) + " { " + statement + " }";
    };
    const auto repeated = [times](auto f) {
      return [=](const double* x, const double* z, double* out) {
        for (int k = 0; k < times; ++k) {
          f(x, z, out);
          benchmark::ClobberMemory();
        }
      };
    };
    pair("exp(-x*x)*cos(3*x)+0.5*x" + count, 1, before, loop("y = exp(-x*x)*cos(3*x)+0.5*x"),
         on_vectors(n,
                    repeated([n](const double* x, const double*, double* out) { twins::bell(x, out, n); })));
    pair("a*x + b*z - c" + count, 1, before, loop("y = a*x + b*z - c"),
         on_vectors(n, repeated([n](const double* x, const double* z, double* out) {
                      twins::combination(2.5, x, 0.5, z, 1.5, out, n);
                    })));
    pair("a*x + b" + count, 1, before, loop("y = a*x + b"),
         on_vectors(n, repeated([n](const double* x, const double*, double* out) {
                      twins::line(2.5, x, 0.5, out, n);
                    })));
  }
}

void register_reductions() {
  const auto before = script_wave("a", kLong) + "b = a + 1\n";
  pair("sum((a-b)^2), 10^7", 1, before, "s = sum((a-b)^2)",
       on_vectors(kLong, [](const double* a, const double* b, double* out) {
         out[0] = twins::squared_distance(a, b, kLong);
       }));
  pair("max(abs(a)), 10^7", 1, before, "s = max(abs(a))",
       on_vectors(kLong, [](const double* a, const double*, double* out) {
         out[0] = twins::largest_magnitude(a, kLong);
       }));
  pair("sum(a > 0), 10^7", 1, before, "s = sum(a > 0)",
       on_vectors(kLong, [](const double* a, const double*, double* out) {
         out[0] = static_cast<double>(twins::count_positive(a, kLong));
       }));
  pair("mean(a[a > 0]), 10^7", 1, before, "s = mean(a[a > 0])",
       on_vectors(kLong, [](const double* a, const double*, double* out) {
         out[0] = twins::mean_of_positive(a, kLong);
       }));
}

const char* const kSweep =
    "u[2..last-1 by 2, 2..last-1 by 2] = 0.25*(u[1..last-2 by 2, 2..last-1 by 2] + u[3..last by 2, 2..last-1 "
    "by 2]"
    " + u[2..last-1 by 2, 1..last-2 by 2] + u[2..last-1 by 2, 3..last by 2])\n"
    "u[3..last-1 by 2, 3..last-1 by 2] = 0.25*(u[2..last-2 by 2, 3..last-1 by 2] + u[4..last by 2, 3..last-1 "
    "by 2]"
    " + u[3..last-1 by 2, 2..last-2 by 2] + u[3..last-1 by 2, 4..last by 2])\n"
    "u[2..last-1 by 2, 3..last-1 by 2] = 0.25*(u[1..last-2 by 2, 3..last-1 by 2] + u[3..last by 2, 3..last-1 "
    "by 2]"
    " + u[2..last-1 by 2, 2..last-2 by 2] + u[2..last-1 by 2, 4..last by 2])\n"
    "u[3..last-1 by 2, 2..last-1 by 2] = 0.25*(u[2..last-2 by 2, 2..last-1 by 2] + u[4..last by 2, 2..last-1 "
    "by 2]"
    " + u[3..last-1 by 2, 1..last-2 by 2] + u[3..last-1 by 2, 3..last by 2])\n";

// The same, item by item.
std::string sweep_by_items() {
  std::string out;
  for (const auto* const ranges : {"2..999 by 2, 2..999 by 2", "3..999 by 2, 3..999 by 2",
                                   "2..999 by 2, 3..999 by 2", "3..999 by 2, 2..999 by 2"}) {
    const std::string both = ranges;
    const auto comma = both.find(',');
    out += "u[" + both + "] = [0.25 * (u[i-1, j] + u[i+1, j] + u[i, j-1] + u[i, j+1]) for i down " +
           both.substr(0, comma) + ", j across" + both.substr(comma + 1) + "]\n";
  }
  return out;
}

void register_matrices() {
  const auto relax = [](benchmark::State& state) {
    std::vector<double> u(kGrid * kGrid);
    for (auto _ : state) {
      twins::relax(u.data(), kGrid);
      benchmark::ClobberMemory();
    }
  };
  const std::string grid = "u = zeros(1000, 1000)\nu[1, ..] = 1.0\n";
  pair("red and black sweep by slices, 1000x1000", 1, grid, kSweep, relax);
  pair("red and black sweep by comprehensions, 1000x1000", 1, grid, sweep_by_items(), relax);
  const auto vectors = script_wave("v", kSide) + script_wave("w", kSide) + "m = down(v) * across(w)\n";
  const auto matrix = [](auto f) {
    return [=](benchmark::State& state) {
      const auto v = wave(kSide), w = wave(kSide), a = wave(kSide * kSide);
      std::vector<double> out(kSide * kSide);
      for (auto _ : state) {
        f(v.data(), w.data(), a.data(), out.data());
        benchmark::DoNotOptimize(out.data());
        benchmark::ClobberMemory();
      }
    };
  };
  pair("down(v) * across(w), 3000x3000", 1, vectors, "m = down(v) * across(w)",
       matrix([](const double* v, const double* w, const double*, double* out) {
         twins::outer(v, w, out, kSide);
       }));
  pair("transpose copy, 3000x3000", 1, vectors + "b = m'\nb[1, 1] = 0\n", "b = m'\nb[1, 1] = 0",
       matrix([](const double*, const double*, const double* a, double* out) {
         twins::transpose(a, out, kSide);
       }));
  pair("sum(m, over: 1), 3000x3000", 1, vectors, "s = sum(m, over: 1)",
       matrix([](const double*, const double*, const double* a, double* out) {
         twins::sum_rows(a, out, kSide);
       }));
  pair("sum(m, over: 2), 3000x3000", 1, vectors, "s = sum(m, over: 2)",
       matrix([](const double*, const double*, const double* a, double* out) {
         twins::sum_columns(a, out, kSide);
       }));
}

void register_selections() {
  const auto before = script_wave("a", kLong) + "mask = a > 1\nb = a + 0\n";
  pair("a[a > 0], 10^7", 1, before, "b = a[a > 0]",
       on_vectors(kLong,
                  [](const double* a, const double*, double* out) { twins::keep_positive(a, out, kLong); }));
  pair("a[mask] = 0, 10^7", 1, before, "a[mask] = 0", [](benchmark::State& state) {
    auto a = wave(kLong);
    const std::unique_ptr<bool[]> mask(new bool[kLong]);
    for (std::size_t i = 0; i < kLong; ++i) mask[i] = a[i] > 1;
    for (auto _ : state) {
      twins::zero_where(a.data(), mask.get(), kLong);
      benchmark::ClobberMemory();
    }
  });
  pair("cumsum(a), 10^7", 1, before, "b = cumsum(a)",
       on_vectors(kLong,
                  [](const double* a, const double*, double* out) { twins::running_sum(a, out, kLong); }));
  pair(
      "reverse(a), 10^7", 1, before + "b = reverse(a)\nb[1] = 0\n", "b = reverse(a)\nb[1] = 0",
      on_vectors(kLong, [](const double* a, const double*, double* out) { twins::reversed(a, out, kLong); }));
  pair("sort(a), 10^7", 1, before, "b = sort(a)",
       on_vectors(kLong, [](const double* a, const double*, double* out) {
         std::copy(a, a + kLong, out);
         std::sort(out, out + kLong);
       }));
}

}  // namespace

void register_array_benchmarks() {
  register_expressions();
  register_reductions();
  register_matrices();
  register_selections();
}
