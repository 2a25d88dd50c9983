#include "call_benchmarks.h"

#include <algorithm>
#include <array>
#include <boost/random/mersenne_twister.hpp>
#include <boost/random/uniform_int_distribution.hpp>
#include <cctype>
#include <chrono>
#include <cmath>
#include <cstdint>
#include <numeric>
#include <string>
#include <unordered_map>
#include <vector>

#include "statement.h"

namespace {

constexpr std::size_t kCount = 1000000;

// The same data in the script and in C++, without drawing them twice: a simple recurrence.
struct Data {
  std::vector<std::int64_t> g, k;
  std::vector<double> x, y;
  std::vector<std::string> s;
  Data() {
    std::uint64_t state = 1;
    for (std::size_t i = 0; i < kCount; ++i) {
      state = state * 6364136223846793005ULL + 1442695040888963407ULL;
      g.push_back(1 + static_cast<std::int64_t>((state >> 33) % 1000));
      k.push_back(static_cast<std::int64_t>(state >> 40));
      x.push_back(static_cast<double>(state >> 11) * 0x1p-53);
      y.push_back(1 - x.back());
    }
    for (std::size_t i = 0; i < kCount / 10; ++i) s.push_back("station " + std::to_string(g[i]));
  }
};
const Data& data() {
  static const Data d;
  return d;
}
const std::string kScript =
    "seed(1)\ng = random_whole(1, 1000, 1000000)\nk = random_whole(0, 16777215, 1000000)\nx = "
    "random(1000000)\ny = 1 "
    "- x\ns = [\"station {j}\" for j in 1..1000][g[1..100000]]\nt = (g: g, x: x, y: y)\nother = (g: 1..1000, "
    "h: "
    "random(1000))\n";

template <class Twin>
void add(const std::string& name, const std::string& statement, Twin twin, const std::string& more = "") {
  benchmark::RegisterBenchmark((name + "/script").c_str(),
                               [=](benchmark::State& s) { time_statement(s, kScript + more, statement); })
      ->Unit(benchmark::kMillisecond)
      ->UseRealTime()
      ->Repetitions(3);
  benchmark::RegisterBenchmark((name + "/c++").c_str(),
                               [=](benchmark::State& s) {
                                 data();
                                 for (auto _ : s) benchmark::DoNotOptimize(twin());
                               })
      ->Unit(benchmark::kMillisecond)
      ->UseRealTime()
      ->Repetitions(3);
}

double grouped_means() {
  const auto& d = data();
  std::vector<double> sum(1001), count(1001);
  for (std::size_t i = 0; i < kCount; ++i) {
    sum[static_cast<std::size_t>(d.g[i])] += d.x[i];
    ++count[static_cast<std::size_t>(d.g[i])];
  }
  return sum[7] / count[7];
}

double in_capitals() {
  std::vector<std::string> out = data().s;
  for (auto& text : out)
    for (auto& c : text) c = static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
  return static_cast<double>(out[7].size());
}

double joined() {
  const auto& d = data();
  std::unordered_map<std::int64_t, double> other;
  for (std::int64_t g = 1; g <= 1000; ++g) other[g] = static_cast<double>(g);
  std::vector<std::int64_t> g;
  std::vector<double> x, y, h;
  for (std::size_t i = 0; i < kCount; ++i) {
    const auto found = other.find(d.g[i]);
    if (found == other.end()) continue;
    g.push_back(d.g[i]);
    x.push_back(d.x[i]);
    y.push_back(d.y[i]);
    h.push_back(found->second);
  }
  return h[7];
}

double whole_product() {
  constexpr std::size_t n = 300;
  static const std::vector<std::int64_t> a(data().g.begin(), data().g.begin() + n * n);
  std::vector<std::int64_t> c(n * n);
  for (std::size_t i = 0; i < n; ++i)
    for (std::size_t j = 0; j < n; ++j)
      for (std::size_t l = 0; l < n; ++l) c[i * n + l] += a[i * n + j] * a[j * n + l];
  return static_cast<double>(c[7]);
}

double shuffled() {
  static boost::random::mt19937_64 random(1);
  auto x = data().x;
  for (std::size_t i = x.size() - 1; i > 0; --i)
    std::swap(x[i], x[boost::random::uniform_int_distribution<std::size_t>(0, i)(random)]);
  return x[7];
}

double counted_in_bins() {
  std::vector<double> counts(100);
  for (const double v : data().x) ++counts[std::min<std::size_t>(99, static_cast<std::size_t>(v * 100))];
  return counts[7];
}

double remainders() {
  static std::vector<std::int64_t> out(kCount);
  for (std::size_t i = 0; i < kCount; ++i) out[i] = data().k[i] % 7;
  return static_cast<double>(out[7]);
}

double whole_draws() {
  static boost::random::mt19937_64 random(1);
  static std::vector<std::int64_t> out(kCount);
  boost::random::uniform_int_distribution<std::int64_t> draw(1, 1000);
  for (auto& v : out) v = draw(random);
  return static_cast<double>(out[7]);
}

double sorted_rows() {
  const auto& d = data();
  std::vector<std::size_t> order(kCount);
  std::iota(order.begin(), order.end(), 0);
  std::stable_sort(order.begin(), order.end(), [&](auto a, auto b) { return d.x[a] < d.x[b]; });
  std::vector<std::int64_t> g;
  std::vector<double> x, y;
  for (const auto i : order) {
    g.push_back(d.g[i]);
    x.push_back(d.x[i]);
    y.push_back(d.y[i]);
  }
  return y[7];
}

double median() {
  auto x = data().x;
  std::nth_element(x.begin(), x.begin() + kCount / 2, x.end());
  return x[kCount / 2] / 2 + *std::max_element(x.begin(), x.begin() + kCount / 2) / 2;
}

double moving_means() {
  const auto& x = data().x;
  static std::vector<double> out(kCount);
  for (std::size_t i = 25; i + 26 < kCount; ++i) {
    double sum = 0;
    for (std::size_t j = i - 25; j <= i + 25; ++j) sum += x[j];
    out[i] = sum / 51;
  }
  return out[777];
}

double convolved() {
  const auto& x = data().x;
  static std::vector<double> out(kCount);
  for (std::size_t i = 50; i + 51 < kCount; ++i) {
    double sum = 0;
    for (std::size_t j = 0; j < 101; ++j) sum += x[i + j - 50];
    out[i] = sum;
  }
  return out[777];
}

// Year, month, day, hour, minute, second, day of the week and of the year.
double parts_of_dates() {
  static std::array<std::vector<double>, 8> parts;
  for (auto& part : parts) part.resize(kCount);
  for (std::size_t i = 0; i < kCount; ++i) {
    using namespace std::chrono;
    const auto time = static_cast<double>(data().k[i] % 20000 * 86400);
    const double whole_days = std::floor(time / 86400);
    const sys_days day(days(static_cast<int>(whole_days)));
    const year_month_day date(day);
    const hh_mm_ss clock(seconds(static_cast<long>(time - 86400 * whole_days)));
    parts[0][i] = static_cast<int>(date.year());
    parts[1][i] = static_cast<unsigned>(date.month());
    parts[2][i] = static_cast<unsigned>(date.day());
    parts[3][i] = static_cast<double>(clock.hours().count());
    parts[4][i] = static_cast<double>(clock.minutes().count());
    parts[5][i] = static_cast<double>(clock.seconds().count());
    parts[6][i] = weekday(day).iso_encoding();
    parts[7][i] = static_cast<double>((day - sys_days(date.year() / January / 1)).count() + 1);
  }
  return parts[0][7];
}

double distinct_texts() {
  auto s = data().s;
  std::sort(s.begin(), s.end());
  s.erase(std::unique(s.begin(), s.end()), s.end());
  return static_cast<double>(s.size());
}

}  // namespace

void register_call_benchmarks() {
  add("mean of 1000 groups of 10^6 rows", "w = group(fn(t) = (m: mean(t.x)), t, by: \"g\")", grouped_means);
  add("upper of 10^5 texts", "w = each upper(s)", in_capitals);
  add("moving mean of 10^6 and 51", "w = moving_mean(x, 51)", moving_means);
  add("join of 10^6 rows with 1000", "w = join(t, other, by: \"g\")", joined);
  add("int64 product of 300²", "w = a *+ a", whole_product, "a = reshape(g[1..90000], 300, 300)\n");
  add("shuffle of 10^6", "w = shuffle(x)", shuffled);
  add("histogram of 10^6, 100 bins", "w = histogram_counts(x, bins: 100)", counted_in_bins);
  add("k % 7 of 10^6 int64", "w = k % 7", remainders);
  add("random integers, 10^6", "w = random_whole(1, 1000, 1000000)", whole_draws);
  add("sort 10^6 rows by a column", "w = sort(t, by: \"x\")", sorted_rows);
  add("median of 10^6", "w = median(x)", median);
  add("convolution of 10^6 and 101", "w = convolve(x, ones(101))", convolved);
  add("parts of 10^6 dates", "w = date_parts(z)", parts_of_dates, "z = (k % 20000) * 86400\n");
  add("distinct of 10^5 texts", "w = unique(s)", distinct_texts);
}
