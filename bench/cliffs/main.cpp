// Calls every built-in that takes arrays with up to a million elements and writes what one element costs, so
// that a built-in far slower than a loop stands out. Arguments are found by trial: what a call accepts with a
// few elements it gets with many.
#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cstdio>
#include <fstream>
#include <span>
#include <thread>

#include "array/buffer.h"
#include "base/interrupt.h"
#include "base/memory.h"
#include "builtins/tables.h"
#include "session/session.h"

namespace {

using namespace quill;
using Clock = std::chrono::steady_clock;

// What stands for an array of n elements.
struct Input {
  std::string kind, expression;
};
const std::vector<Input> kInputs = {{"float64", "x"},       {"int64", "k"},       {"int32", "k32"},
                                    {"float32", "x32"},     {"bool", "b"},        {"complex128", "c"},
                                    {"text", "s"},          {"times", "t"},       {"matrix", "m"},
                                    {"int64 matrix", "mk"}, {"transposed", "m'"}, {"table", "d"}};

std::string prepared(Index n) {
  const Index columns = n < 1000 ? 4 : 100;
  return fmt::format(
      "seed(1)\nx = random({0})\ny = random({0}) + 0.5\nk = random_whole(1, 1000, {0})\nk32 = int32(k)\nx32 "
      "= "
      "float32(x)\nb = x > 0.5\nc = complex(x, y)\nnames = [\"w{{j}}\" for j in 1..1000]\ns = names[k]\nt = "
      "timestamp(\"2026-01-01\") + 60 * (1..{0})\nm = reshape(x, {1}, {2})\nmk = reshape(k, {1}, {2})\nd = "
      "(g: k, x: "
      "x, s: s)\nrising = (1..{0}) + 0\nmask = b\n",
      n, n / columns, columns);
}

// What further required arguments may be, likely ones first.
std::vector<std::string> candidates(const Parameter& p, const std::string& first) {
  if (!p.choices.empty()) return {fmt::format("\"{}\"", p.choices.front())};
  if (p.passes == 1) return {"fn(v) = v + 1", "mean", "fn(v) = v > 0.5", "fn(r) = r"};
  if (p.passes == 2) return {"fn(p, q) = p + q"};
  return {"y",       "5",      "0.2",        first,  "\"w5\"", "\"x\"",
          "[\"x\"]", "rising", "(0.1, 0.3)", "mean", "k",      "\"1 h\""};
}

bool is_skipped(const Builtin& row) {
  return row.family == "files" || row.family == "figures" || row.family == "output" ||
         row.family == "constants";
}

// Nanoseconds that an element may take.
double bound(const Builtin& row, const std::string& kind) {
  if (kind == "text" || kind == "table" || row.family == "text") return 300;
  constexpr std::string_view quick[] = {"elementwise", "reductions", "making arrays", "shapes",
                                        "random numbers"};
  return std::find(std::begin(quick), std::end(quick), row.family) != std::end(quick) ? 20 : 100;
}

class Program {
 public:
  explicit Program(Index n) : session_(host_, output_, {}) {
    if (!session_.run("prepared", prepared(n))) std::fprintf(stderr, "the data could not be made\n");
  }
  bool run(const std::string& call) { return session_.run("call", "result = " + call); }
  // The elements of the result, of the largest field of a record, which is let go.
  double result_size() {
    const auto elements = [](const Value& v) {
      return v.is_array_like() ? static_cast<double>(size_of(shape_of(v))) : 1;
    };
    const auto* const result = session_.find("result");
    double size = result ? elements(*result) : 1;
    if (result && result->is(Kind::record))
      for (const auto& field : result->object<RecordObject>().fields)
        size = std::max(size, elements(field.second));
    session_.run("empty", "result = 0");
    return size;
  }

 private:
  MemoryHost host_;
  SilentOutput output_;
  Session session_;
};

// The call with the first arguments that are accepted; "" if there are none.
std::string accepted(Program& few, const Builtin& row, const std::string& first) {
  std::vector<std::vector<std::string>> choices;
  for (std::size_t i = 0; i < row.parameters.size(); ++i) {
    const auto& p = row.parameters[i];
    if (!p.fallback.empty() || p.free_names) break;
    if (i == 0 && p.passes < 0)
      choices.push_back({first});
    else if (i == 1 && row.parameters[0].passes >= 0)
      choices.push_back({first});
    else
      choices.push_back(candidates(p, first));
  }
  if (choices.empty() && !row.parameters.empty()) choices.push_back({first});
  if (choices.empty() || choices.size() > 4) return "";
  std::size_t all = 1;
  for (const auto& c : choices) all *= c.size();
  for (std::size_t k = 0; k < std::min<std::size_t>(all, 400); ++k) {
    std::string call(row.name);
    std::size_t rest = k;
    bool uses_data = false;
    for (std::size_t i = 0; i < choices.size(); ++i) {
      const auto& chosen = choices[i][rest % choices[i].size()];
      rest /= choices[i].size();
      uses_data = uses_data || chosen == first;
      call += (i == 0 ? "(" : ", ") + chosen;
    }
    call += ")";
    if (uses_data && few.run(call)) return call;
  }
  return "";
}

struct Measured {
  std::string call, kind;
  double nanoseconds = 0, arrays = 0, allowed = 0;
  double bytes = 0;    // of all arrays made
  double scratch = 0;  // bytes in use at one time, beside the arguments and the result
  Index size = 0;
};

class Watchdog {
 public:
  Watchdog() : thread_([this] { watch(); }) {}
  ~Watchdog() {
    ends_ = true;
    thread_.join();
  }
  Watchdog(const Watchdog&) = delete;
  Watchdog& operator=(const Watchdog&) = delete;
  void begin() { since_ = Clock::now().time_since_epoch().count(); }
  void end() {
    since_ = 0;
    clear_interrupt();
  }

 private:
  void watch() {
    constexpr auto longest = std::chrono::seconds(10);
    while (!ends_) {
      std::this_thread::sleep_for(std::chrono::milliseconds(50));
      const auto since = since_.load();
      if (since != 0 && Clock::now().time_since_epoch().count() - since > Clock::duration(longest).count())
        request_interrupt();
    }
  }
  std::atomic<Clock::rep> since_{0};
  std::atomic<bool> ends_{false};
  std::thread thread_;
};

// Why calls take longer than their bound: names of built-ins, the type that it holds for ("" for all), the
// reason.
struct Reason {
  std::string_view names, kind, text;
};
constexpr Reason kReasons[] = {
    {"bessel_j bessel_y bessel_i bessel_k spherical_bessel_j spherical_bessel_y airy beta beta_regularised "
     "gamma "
     "gamma_lower gamma_upper log_gamma zeta elliptic_k elliptic_e elliptic_pi legendre laguerre hermite "
     "chebyshev "
     "erf erfc lambert_w exponential_integral",
     "", "one evaluation by Boost.Math"},
    {"sin cos tan asin acos atan sinh cosh tanh asinh acosh atanh exp log log2 log10 sqrt phase std variance",
     "complex128", "one complex function of the C library, or squared moduli"},
    {"sin cos tan asin acos atan sinh cosh tanh asinh acosh atanh exp expm1 log log1p log2 log10 sinc cbrt "
     "hypot atan2",
     "", "arguments beyond the range of the vector functions, or strided ones: element by element"},
    {"is_prime", "", "several modular powers for each number"},
    {"scan reduce", "", "calls the function for each element, with elements of their own type"},
    {"zip", "", "makes a tuple for each element"},
    {"timestamp_text", "", "formats a text for each element"},
    {"near", "complex128", "several operations on complex numbers, one after the other"},
    {"aggregate regular resample", "", "as many steps as elements: a call, or an interpolation, for each"},
    {"median quantile", "", "selects in a copy"},
    {"repeat", "complex128", "80 bytes written for each element"},
    {"shuffle", "", "a random number and an access beyond the cache for each element"},
    {"member intersection set_difference unique", "", "a hash table, or a sort, of 10^6 distinct elements"},
    {"sort sort_order", "text", "compares texts"},
    {"ranks mode rank_test signed_rank_test adjust_p distribution_test", "", "sorts"},
    {"skewness kurtosis", "", "a power for each element after three passes in compensated arithmetic"},
    {"cluster uneven_spectrum nearest_neighbors kernel_density local_regression wavelet_power trend "
     "bootstrap",
     "", "cost grows faster than the number of elements: n log n, or n times a second size"},
    {"interpolate interpolant", "", "sorts 10^6 abscissae and solves a system for the spline"},
    {"fit least_squares polynomial_fit line_fit null_basis qr principal_components", "",
     "a factorisation, whose cost grows with the square of the columns"},
    {"convolve correlate lagged_correlation autocorrelation ifft ifft2 real_ifft dct idct envelope "
     "analytic_signal "
     "cross_spectrum power_spectrum band_pass",
     "", "one or several Fourier transforms"},
    {"peaks", "", "compares each peak with its neighbours on both sides"},
};

// The same for scratch.
constexpr Reason kScratchReasons[] = {
    {"scan", "", "one value of any type for each result"},
    {"convolve correlate autocorrelation", "", "Fourier transforms of twice the length"},
    {"wavelet_power", "", "one transform for each scale"},
    {"trend", "", "several sorted copies, for the slopes of all pairs"},
    {"polynomial_fit", "", "the matrix of powers, and its factors"},
};

std::string_view reason_for(const Measured& m, std::span<const Reason> reasons) {
  const auto name = m.call.substr(0, m.call.find('('));
  for (const auto& reason : reasons) {
    if (!reason.kind.empty() && reason.kind != m.kind) continue;
    const auto padded = " " + std::string(reason.names) + " ";
    if (padded.find(" " + name + " ") != std::string::npos) return reason.text;
  }
  return "";
}

// Bytes for each element that a call may use beside its arguments and its result.
constexpr double kScratch = 150;

class Cliffs {
 public:
  Cliffs() {
    for (const Index n : kSizes) many_.push_back(std::make_unique<Program>(n));
  }

  void add(const Builtin& row) {
    for (const auto& input : kInputs) {
      watchdog_.begin();
      const auto call = accepted(few_, row, input.expression);
      watchdog_.end();
      if (call.empty()) continue;
      measure({call, input.kind}, bound(row, input.kind));
      const bool has_axes = std::any_of(row.parameters.begin(), row.parameters.end(),
                                        [](const Parameter& p) { return p.name == "over"; });
      if (!has_axes || input.kind.find("matrix") == std::string::npos) continue;
      for (const int axis : {1, 2}) {
        const auto over = fmt::format("{}, over: {})", call.substr(0, call.size() - 1), axis);
        if (few_.run(over)) measure({over, input.kind}, bound(row, input.kind));
      }
    }
  }

  std::vector<Measured>& all() { return all_; }

 private:
  static constexpr Index kSizes[] = {10'000, 100'000, 1'000'000};

  // From few elements at once to the most, if that takes little.
  void measure(Measured m, double allowed) {
    m.allowed = allowed;
    constexpr double longest = 0.7;  // seconds for one call
    double before = 0, growth = 10;
    for (std::size_t i = 0; i < std::size(kSizes); ++i) {
      if (before * growth > longest) break;
      if (i == 1 && before * 100 < longest / 4) continue;
      const double seconds = time_call(m, i, longest);
      if (seconds < 0) break;
      if (before > 0) growth = std::max(10.0, seconds / before);
      before = seconds;
    }
    if (m.size > 0) all_.push_back(m);
    std::fprintf(
        stderr, "%s\n",
        fmt::format("{:<60} {:>12} {:>10.1f} ns at {}", m.call, m.kind, m.nanoseconds, m.size).c_str());
  }

  // Seconds of a call with as many elements; negative if it fails.
  double time_call(Measured& m, std::size_t i, double longest) {
    const auto use = memory_use();
    const auto held = memory_held();
    const auto n = static_cast<double>(kSizes[i]);
    Measured now = m;
    double best = 1e30;
    for (int k = 0; k < 2 && (k == 0 || best < longest / 4); ++k) {
      begin_memory_peak();
      watchdog_.begin();
      const auto start = Clock::now();
      const bool ok = many_[i]->run(m.call);
      best = std::min(best, std::chrono::duration<double>(Clock::now() - start).count());
      watchdog_.end();
      if (!ok) return -1;
      if (k > 0) continue;
      now.arrays = static_cast<double>(memory_use().arrays - use.arrays) / n;
      now.bytes = static_cast<double>(memory_use().bytes - use.bytes) / n;
      now.scratch = static_cast<double>(memory_peak() - std::max(memory_held(), held));
    }
    now.size = kSizes[i];
    // Of the result, where it has more elements.
    const double elements = std::max(n, many_[i]->result_size());
    now.nanoseconds = best / elements * 1e9;
    now.scratch /= elements;
    m = now;
    return best;
  }

  Program few_{40};
  std::vector<std::unique_ptr<Program>> many_;
  Watchdog watchdog_;
  std::vector<Measured> all_;
};

void write_table(std::ostream& out, std::vector<Measured>& all) {
  std::sort(all.begin(), all.end(), [](const auto& a, const auto& b) {
    return a.nanoseconds / a.allowed > b.nanoseconds / b.allowed;
  });
  out << "# What one element costs\n\nEvery built-in that takes arrays, with up to 10^6 elements of each "
         "type, measured by `./dev cliffs`: time, bytes of scratch (in use at one time, beside the arguments "
         "and the "
         "result), and arrays made for each element. The bound is 20 ns for elementwise functions, "
         "reductions and "
         "rearranging, 300 ns for texts and tables, 100 ns for the rest, and 150 bytes of scratch. Calls "
         "above half of "
         "a bound are listed, those above it with the reason.\n\n| call | type | elements | ns | scratch, "
         "bytes | "
         "arrays | bound, ns | reason |\n| --- | --- | --- | --- | --- | --- | --- | --- |\n";
  int above = 0, without_reason = 0;
  for (const auto& m : all) {
    if (m.nanoseconds < m.allowed / 2 && m.scratch < kScratch / 2) continue;
    std::string reason;
    const auto explain = [&](bool is_above, std::string_view why) {
      if (!is_above) return;
      without_reason += why.empty();
      reason += (reason.empty() ? "" : "; ") + std::string(why);
    };
    const bool is_slow = m.nanoseconds > m.allowed, is_large = m.scratch > kScratch;
    explain(is_slow, reason_for(m, kReasons));
    explain(is_large, reason_for(m, kScratchReasons));
    above += is_slow || is_large;
    out << fmt::format("| `{}` | {} | {} | {:.1f} | {:.0f} | {:.2g} | {} | {} |\n", m.call, m.kind, m.size,
                       m.nanoseconds, m.scratch, m.arrays, m.allowed, reason);
  }
  out << fmt::format("\n{} of {} calls are above a bound, {} of them without a reason.\n", above, all.size(),
                     without_reason);
}

}  // namespace

int main(int count, char** arguments) {
  const std::string only = count > 2 ? arguments[2] : "";
  set_memory_ceiling(Index{4} << 30);
  Cliffs cliffs;
  for (const auto& row : builtins().rows())
    if (!is_skipped(row) && (only.empty() || row.name == only)) cliffs.add(row);
  std::ofstream out(count > 1 ? arguments[1] : "/dev/stdout");
  write_table(out, cliffs.all());
}
