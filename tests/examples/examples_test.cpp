// Every example runs, and its numbers are found again by another route.
#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <complex>
#include <filesystem>
#include <fstream>
#include <map>
#include <numbers>

#include "files/csv.h"
#include "files/formats.h"
#include "support/paths.h"
#include "support/program.h"

using namespace quill;
using namespace quill::test;

namespace {

const std::string kExamples = std::string(kSourceDir) + "/examples/";

Result run_example(const std::string& name, const TemporaryFolder& folder,
                   const std::vector<std::string>& options = {}) {
  std::vector<std::string> arguments = {"run", kExamples + name, "--out", folder.path()};
  arguments.insert(arguments.end(), options.begin(), options.end());
  auto r = run_program(kProgram, arguments);
  CAPTURE(name, r.err);
  CHECK(r.status == 0);
  CHECK(r.err.find("error") == std::string::npos);
  CHECK(r.err.find("warning") == std::string::npos);
  return r;
}

std::vector<double> column(const std::string& text, std::size_t k) {
  return read_csv(text, "t").at(k).values.converted(ElementType::float64).to_vector<double>();
}

bool holds(const Result& r, const std::string& line) { return r.out.find(line + "\n") != std::string::npos; }

}  // namespace

namespace {

std::string without_environment(const std::string& record) {
  return record.substr(0, record.find("\n  \"environment\""));
}

// Runs it twice, in different folders and on different numbers of threads, and verifies the second run.
void check_again(const std::string& name) {
  const TemporaryFolder one, two;
  run_example(name, one, {"--threads", "1"});
  run_example(name, two, {"--threads", "2"});
  CAPTURE(name);
  int files = 0;
  for (const auto& file : std::filesystem::directory_iterator(one.path())) {
    const auto written = file.path().filename().string();
    CAPTURE(written);
    ++files;
    if (written == "run.json")
      CHECK(without_environment(one.read(written)) == without_environment(two.read(written)));
    else
      CHECK(one.read(written) == two.read(written));
  }
  CHECK(files > 0);
  const auto verified =
      run_program(kProgram, {"verify", two.path(), "--script", kExamples + name}, "", one.path());
  CAPTURE(verified.out);
  CHECK(verified.status == 0);
}

// Every so-many-th of all examples.
void check_examples(std::size_t from, std::size_t step) {
  std::vector<std::string> names;
  // Recipes are run by recipes_test.cpp.
  for (const auto& entry : std::filesystem::recursive_directory_iterator(kExamples))
    if (entry.path().extension() == ".eq" && entry.path().parent_path().filename() != "recipes")
      names.push_back(std::filesystem::relative(entry.path(), kExamples).string());
  std::sort(names.begin(), names.end());
  CHECK(names.size() >= 20);
  for (auto k = from; k < names.size(); k += step) check_again(names[k]);
}

}  // namespace

// In parts, which run at the same time.
TEST_CASE("every example gives the same bytes and the same record again (1)") { check_examples(0, 3); }
TEST_CASE("every example gives the same bytes and the same record again (2)") { check_examples(1, 3); }
TEST_CASE("every example gives the same bytes and the same record again (3)") { check_examples(2, 3); }

TEST_CASE("the survey's data is what its script makes") {
  const TemporaryFolder folder;
  run_example("lake/make_data.eq", folder);
  for (const char* name :
       {"soundings.csv", "thermistors.csv", "inflow.csv", "dye.csv", "gauge.csv", "stations.csv", "chain.nc"})
    CHECK(folder.read(name) == read_text(kExamples + "lake/" + name));
}

TEST_CASE("volume: the heat of the lake by plain loops") {
  const TemporaryFolder folder;
  const auto r = run_example("lake/volume.eq", folder);
  CHECK(folder.has("volume.png"));
  // The volume by sums over the same grid.
  const auto cast = read_text(kExamples + "lake/soundings.csv");
  const auto east = column(cast, 0), north = column(cast, 1), depth = column(cast, 2);
  double volume = 0, deepest = 0;
  int cells = 0;
  for (int j = 0; j <= 80; ++j)
    for (int i = 0; i <= 120; ++i) {
      const double x = 20.0 * i, y = 20.0 * j;
      if (std::pow((x - 1180) / 1120, 2) + std::pow((y - 800) / 720, 2) > 1) continue;
      double top = 0, bottom = 0;
      for (std::size_t k = 0; k < depth.size(); ++k) {
        const double w = 1 / std::pow(std::pow(x - east[k], 2) + std::pow(y - north[k], 2) + 25, 2);
        top += w * depth[k];
        bottom += w;
      }
      const double edge = (i == 0 || i == 120 ? 0.5 : 1) * (j == 0 || j == 80 ? 0.5 : 1);
      volume += edge * top / bottom * 400;
      deepest = std::max(deepest, top / bottom);
      ++cells;
    }
  char line[200];
  std::snprintf(line, sizeof line, "volume %.2f million m³, area %.2f km², deepest %.1f m, mean %.1f m",
                volume / 1e6, cells * 400 / 1e6, deepest, volume / (cells * 400.0));
  CAPTURE(r.out, line);
  CHECK(holds(r, line));
  CHECK(holds(r, "1 of 14 thermistors failed, at [14] m"));
  // Temperatures at the points of the table are the table's.
  const auto august = folder.read("august.csv");
  const auto level = column(august, 0), temperature = column(august, 1);
  const auto chain = read_text(kExamples + "lake/thermistors.csv");
  const auto z = column(chain, 0), t = column(chain, 2);
  int found = 0;
  for (std::size_t k = 0; k < z.size(); ++k)
    for (std::size_t i = 0; i < level.size(); ++i)
      if (std::fabs(level[i] - z[k]) < 1e-9 && std::isfinite(t[k])) {
        CHECK(temperature[i] == Approx(t[k]).epsilon(1e-9));
        ++found;
      }
  CHECK(found == 13);
}

TEST_CASE("structures") {
  const TemporaryFolder folder;
  const auto r = run_example("structures.eq", folder);
  for (const char* line :
       {"float64 bool text complex128", "the slice keeps 12.1, the chain has 99", "buoy 3 at 41.5 m",
        "a changed copy lies at 42 m, the old one at 41.5 m",
        "4 keys: [\"june\", \"august\", \"october\", \"december\"]", "through the alias: [21.4, 12.0, 5.0]",
        "first 5, last 21.4, the rest is not wanted", "mean of the layers [2, 5]"})
    CHECK(holds(r, line));
}

TEST_CASE("shapes") {
  const TemporaryFolder folder;
  const auto r = run_example("shapes.eq", folder);
  for (const char* line : {"8×6 holds what 6×8 held: true", "[24, 2] and [48]",
                           "one offset a row: row sums grow by [8, 16, 24, 32, 40, 48]",
                           "7×7 table: corner 49, diagonal [1, 4, 9, 16, 25, 36, 49]"})
    CHECK(holds(r, line));
}

TEST_CASE("selecting") {
  const TemporaryFolder folder;
  const auto r = run_example("selecting.eq", folder);
  CHECK(r.out.find("third 2.191, last ") != std::string::npos);
  const auto inflow = column(read_text(kExamples + "lake/inflow.csv"), 1);
  int flood = 0;
  for (const double q : inflow) flood += q > 5;
  CHECK(holds(r, std::to_string(flood) + " half-days of flood"));
  CHECK(holds(r, "row 2 is [5, 6, 7, 8], the block is [6, 7 | 10, 11]"));
}

TEST_CASE("arithmetic") {
  const TemporaryFolder folder;
  const auto r = run_example("arithmetic.eq", folder);
  for (const char* line : {"loops and arrays agree: true", "above the limit: [1, 1, 0, 5] a depth, 7 in all",
                           "scaled: [0.5, 1, 1.5]"})
    CHECK(holds(r, line));
}

TEST_CASE("a densified profile and its interpolating function") {
  const TemporaryFolder folder;
  const auto r = run_example("densify.eq", folder);
  CHECK(folder.has("densify.png"));
  const auto dense = folder.read("track.csv");
  const auto x = column(dense, 0), y = column(dense, 1);
  REQUIRE(x.size() == 25);
  CHECK(x.front() == 0);
  CHECK(x.back() == 1200);
  for (std::size_t k = 1; k < x.size(); ++k) CHECK(x[k] - x[k - 1] == Approx(50));
  CHECK(y.at(8) == Approx(30));  // a given point
  CHECK(holds(r, "half way down the first slope: 15.00 m"));
}

TEST_CASE("a curve through scattered samples closes the gap") {
  const TemporaryFolder folder;
  const auto r = run_example("smooth_curve.eq", folder);
  CHECK(folder.has("smooth-curve.png"));
  CHECK(folder.has("smooth-curve.pdf"));
  // The errors printed fall about as h^4.
  const auto rows = column(folder.read("gap.csv"), 1);
  REQUIRE(rows.size() == 3);
  CHECK(rows[0] > 4 * rows[1]);
  CHECK(rows[1] > 8 * rows[2]);
}

namespace {

// The numbers that follow a label in the output, up to the end of its line.
std::vector<double> numbers_after(const std::string& text, const std::string& label) {
  std::vector<double> out;
  auto at = text.find(label);
  if (at == std::string::npos) return out;
  const auto line = text.substr(at + label.size(), text.find('\n', at) - at - label.size());
  for (std::size_t i = 0; i < line.size();) {
    if (std::string("-0123456789").find(line[i]) == std::string::npos) {
      ++i;
      continue;
    }
    std::size_t used = 0;
    try {
      out.push_back(std::stod(line.substr(i), &used));
    } catch (const std::exception&) { used = 1; }
    i += used;
  }
  return out;
}

}  // namespace

TEST_CASE("wakes: the grid by the definition of the sinc, with its limit on the lines") {
  const TemporaryFolder folder;
  const auto r = run_example("wakes.eq", folder);
  CHECK(folder.has("wakes.png"));
  CHECK(holds(r, "loops and expression agree: true"));
  CHECK(holds(r, "at rest at [-5, -2.5, 2.5, 5] m"));
  CHECK(holds(r, "points, sinc(d) at 0"));
  const auto text = folder.read("wakes.csv");
  const auto wake = [](double d) {
    return d == 0 ? 1 : std::sin(std::numbers::pi * d) / (std::numbers::pi * d);
  };
  for (const auto& [i, k] : {std::pair{0, 0}, {60, 60}, {60, 65}, {10, 110}, {120, 1}}) {
    const double x = -6 + 0.1 * k, y = -4 + 8.0 * i / 120;
    const double expected = wake(0.8 * x + 0.6 * y) + wake(0.8 * x - 0.6 * y);
    CHECK(column(text, static_cast<std::size_t>(k)).at(static_cast<std::size_t>(i)) ==
          Approx(expected).margin(1e-12));
  }
}

TEST_CASE("stations: means, gaps and delays by plain loops over the file") {
  const TemporaryFolder folder;
  const auto r = run_example("stations.eq", folder);
  CHECK(folder.has("stations.png"));
  CHECK(r.err.find("2 checks passed") != std::string::npos);
  std::ifstream file(kExamples + "lake/stations.csv");
  std::string line;
  std::getline(file, line);
  std::map<std::string, std::pair<int, double>> sums;
  while (std::getline(file, line)) {
    const auto first = line.find(','), second = line.find(',', first + 1);
    const auto value = line.substr(second + 1);
    if (value.empty() || value == "nan") continue;
    auto& [count, sum] = sums[line.substr(first + 1, second - first - 1)];
    ++count;
    sum += std::stod(value);
  }
  REQUIRE(sums.size() == 3);
  const auto paper = folder.read("stations-paper.csv");
  CHECK(paper.find("station,readings,missing,mean,low,median,high,delay,correlation\ninlet,480,0,") == 0);
  const auto missing = column(paper, 2), mean = column(paper, 3);
  const char* names[] = {"inlet", "deep", "outlet"};
  for (std::size_t k = 0; k < 3; ++k) {
    CHECK(missing.at(k) == 480 - sums[names[k]].first);
    CHECK(mean.at(k) == Approx(sums[names[k]].second / sums[names[k]].first).margin(0.0051));
  }
}

TEST_CASE("dye field: spreading as it is to be for other diffusivities, and nothing is lost") {
  for (const char* spreading : {"0.5", "2"}) {
    const TemporaryFolder folder;
    const auto r = run_example("dye_field.eq", folder, {"--set", std::string("spreading=") + spreading});
    CHECK(folder.has("dye-field.png"));
    CHECK(r.err.find("4 checks passed") != std::string::npos);
    const auto grown = numbers_after(r.out, "grows by");
    CHECK(grown.at(0) == Approx(2 * std::stod(spreading)).epsilon(1e-5));
  }
}

TEST_CASE("transform: the default sequence, and one from outside, by the sum of the definition") {
  const TemporaryFolder folder;
  const auto check_one = [&](const Result& r, const std::vector<double>& x) {
    CAPTURE(r.out, r.err);
    REQUIRE(r.status == 0);
    const auto magnitude = numbers_after(r.out, "magnitude");
    const auto recovered = numbers_after(r.out, "recovered");
    REQUIRE(magnitude.size() == x.size());
    for (std::size_t k = 0; k < x.size(); ++k) {
      std::complex<double> sum = 0;
      for (std::size_t j = 0; j < x.size(); ++j)
        sum += x[j] * std::polar(1.0, -2 * std::numbers::pi * static_cast<double>(j * k) /
                                          static_cast<double>(x.size()));
      CHECK(magnitude[k] == Approx(std::abs(sum)).margin(6e-4));
      CHECK(recovered[k] == Approx(x[k]).margin(6e-4));
    }
  };
  check_one(run_example("transform.eq", folder), {2, 0, 1, 3});
  check_one(run_program(kProgram, {"run", kExamples + "transform.eq", "--out", folder.path(), "--set",
                                   "sequence=[1, -2.5, 4, 0, 7]"}),
            {1, -2.5, 4, 0, 7});
  CHECK(folder.has("transform.png"));
}

TEST_CASE("accumulate: running results by loops") {
  const TemporaryFolder folder;
  const auto r = run_example("accumulate.eq", folder);
  CHECK(holds(r, "fastest growth 0.708 per day"));
  CHECK(holds(r, "gain [30, 24, 4.5], loss [10, 12, 9]"));
  CHECK(numbers_after(r.out, "running sum") == std::vector<double>{3, 4, 8, 9, 14, 3, 3, 12, 12, 60});
  double level = 0;
  const auto content = numbers_after(r.out, "content ");
  REQUIRE(content.size() == 5);
  for (std::size_t k = 0; k < 5; ++k) {
    level = 0.9 * level + std::array{3, 1, 4, 1, 5}[k];
    CHECK(content[k] == Approx(level).margin(6e-4));
  }
  CHECK(numbers_after(r.out, "at the end")[0] == Approx(level).margin(6e-5));
}

TEST_CASE("basins: the steady state by Cramer's rule") {
  const TemporaryFolder folder;
  const auto r = run_example("basins.eq", folder);
  const double m[3][3] = {{3.5, -2, 0}, {-3, 4, -1}, {0, -2, 2.5}};
  const auto det = [](const double(&a)[3][3]) {
    return a[0][0] * (a[1][1] * a[2][2] - a[1][2] * a[2][1]) -
           a[0][1] * (a[1][0] * a[2][2] - a[1][2] * a[2][0]) +
           a[0][2] * (a[1][0] * a[2][1] - a[1][1] * a[2][0]);
  };
  const auto found = numbers_after(r.out, "concentration");
  REQUIRE(found.size() >= 3);
  for (std::size_t k = 0; k < 3; ++k) {
    double replaced[3][3];
    for (int i = 0; i < 3; ++i)
      for (int j = 0; j < 3; ++j)
        replaced[i][j] = static_cast<std::size_t>(j) == k ? (i == 0 ? 10 : 0) : m[i][j];
    CHECK(found[k] == Approx(det(replaced) / det(m)).margin(6e-5));
  }
  CHECK(holds(r, "residual below 1e-12: true"));
}

TEST_CASE("polynomial: between the readings by Lagrange's formula") {
  const TemporaryFolder folder;
  const auto r = run_example("polynomial.eq", folder);
  const double year[] = {1994, 1998, 2003, 2009, 2014}, level[] = {712.4, 712.9, 711.8, 712.2, 713.1};
  double sum = 0;
  for (int i = 0; i < 5; ++i) {
    double term = level[i];
    for (int k = 0; k < 5; ++k)
      if (k != i) term *= (2000 - year[k]) / (year[i] - year[k]);
    sum += term;
  }
  CHECK(numbers_after(r.out, "level in 2000:")[0] == Approx(sum).margin(6e-4));
  CHECK(folder.has("levels.png"));
}

TEST_CASE("straight line: by the centred sums") {
  const TemporaryFolder folder;
  const auto r = run_example("straight_line.eq", folder);
  const double y[] = {18.9, 18.1, 17.5, 16.6, 16.1, 15.0, 14.6, 13.8};
  double mean = 0, sxy = 0, sxx = 0, rest = 0;
  for (const double v : y) mean += v / 8;
  for (int i = 0; i < 8; ++i) {
    sxy += (i + 1 - 4.5) * (y[i] - mean);
    sxx += (i + 1 - 4.5) * (i + 1 - 4.5);
  }
  const double slope = sxy / sxx, intercept = mean - slope * 4.5;
  for (int i = 0; i < 8; ++i) rest += std::pow(y[i] - intercept - slope * (i + 1), 2);
  const auto line = numbers_after(r.out, "temperature =");
  CHECK(line.at(0) == Approx(intercept).margin(6e-5));
  CHECK(line.at(1) == Approx(slope).margin(6e-5));
  const auto errors = numbers_after(r.out, "±");
  CHECK(errors.at(1) == Approx(std::sqrt(rest / 6 / sxx)).margin(6e-5));
  CHECK(errors.at(0) == Approx(std::sqrt(rest / 6 * (1.0 / 8 + 4.5 * 4.5 / sxx))).margin(6e-5));
}

TEST_CASE("relax: the same sweeps in plain C++") {
  const TemporaryFolder folder;
  const auto r = run_program(kProgram, {"run", kExamples + "relax.eq", "--out", folder.path(), "--set",
                                        "n=23", "--set", "sweeps=7", "--set", "factor=1.3"});
  CAPTURE(r.out, r.err);
  REQUIRE(r.status == 0);
  CHECK(holds(r, "slices and loops agree: true"));
  CHECK(holds(r, "slices and comprehension agree: true"));
  std::vector<std::vector<double>> v(23, std::vector<double>(23, 0.0));
  for (auto& x : v[0]) x = 1;
  for (int sweep = 0; sweep < 7; ++sweep)
    for (int color = 0; color < 2; ++color)
      for (std::size_t i = 1; i < 22; ++i)
        for (std::size_t k = 1; k < 22; ++k)
          if ((i + k + static_cast<std::size_t>(color)) % 2 == 0)
            v[i][k] += 1.3 * ((v[i - 1][k] + v[i + 1][k] + v[i][k - 1] + v[i][k + 1]) / 4 - v[i][k]);
  const auto text = folder.read("plate.csv");
  for (std::size_t k = 0; k < 23; ++k) {
    const auto c = column(text, k);
    for (std::size_t i = 0; i < 23; ++i) CHECK(c.at(i) == Approx(v[i][k]).margin(1e-13));
  }
  CHECK(r.err.find("ratio") != std::string::npos);
}

TEST_CASE("seiche: the error against the known solution, in plain C++") {
  const TemporaryFolder folder;
  const auto r = run_example("seiche.eq", folder);
  CHECK(holds(r, "401 states of 2 components"));
  double t = 0, y = 1, v = 0, worst = 0;
  const double h = 0.05;
  const auto slope = [](double a, double b) { return std::pair(b, -4 * a - 0.2 * b); };
  for (int k = 0; k <= 400; ++k) {
    const double w = std::sqrt(4 - 0.01);
    worst =
        std::max(worst, std::fabs(y - std::exp(-0.1 * t) * (std::cos(w * t) + 0.1 / w * std::sin(w * t))));
    const auto [a1, b1] = slope(y, v);
    const auto [a2, b2] = slope(y + h / 2 * a1, v + h / 2 * b1);
    const auto [a3, b3] = slope(y + h / 2 * a2, v + h / 2 * b2);
    const auto [a4, b4] = slope(y + h * a3, v + h * b3);
    y += h / 6 * (a1 + 2 * a2 + 2 * a3 + a4);
    v += h / 6 * (b1 + 2 * b2 + 2 * b3 + b4);
    t += h;
  }
  CHECK(numbers_after(r.out, "largest error")[0] == Approx(worst).epsilon(0.01));
  CHECK(numbers_after(r.out, "order")[0] == Approx(4).margin(0.2));
  CHECK(folder.has("seiche-phase.png"));
}

TEST_CASE("inflow: the sums, the flood's closed form, its peak and its end") {
  const TemporaryFolder folder;
  const auto r = run_example("inflow_volume.eq", folder);
  const auto text = read_text(kExamples + "lake/inflow.csv");
  const auto t = column(text, 0), q = column(text, 1);
  std::vector<double> so_far = {0};
  for (std::size_t k = 1; k < t.size(); ++k)
    so_far.push_back(so_far.back() + (t[k] - t[k - 1]) * (q[k] + q[k - 1]) / 2);
  const auto water = numbers_after(r.out, "water in:");
  CHECK(water.at(0) == Approx(so_far.back() * 86400 / 1e6).margin(6e-4));
  std::size_t k = 1;
  while (so_far[k] < so_far.back() / 2) ++k;
  const double half =
      t[k - 1] + (so_far.back() / 2 - so_far[k - 1]) / (so_far[k] - so_far[k - 1]) * (t[k] - t[k - 1]);
  CHECK(numbers_after(r.out, "half of it by day").at(0) == Approx(half).margin(6e-3));
  // The peak of t exp(-t/τ) is at τ and has the height τ/e.
  const auto peak = numbers_after(r.out, "the peak of");
  CHECK(peak.at(0) == Approx(40 * 1.5 / std::numbers::e).margin(6e-3));
  CHECK(numbers_after(r.out, "comes after").at(0) == Approx(1.5).margin(6e-4));
  double late = 10;
  for (int step = 0; step < 100; ++step) late = 1.5 * std::log(40 * late);
  CHECK(numbers_after(r.out, "below 1 m³/s after").at(0) == Approx(late).margin(6e-4));
  CHECK(folder.has("inflow.png"));
}

namespace {

// A x = b by elimination with the largest pivot.
std::vector<double> eliminated(std::vector<std::vector<double>> a, std::vector<double> b) {
  const auto n = b.size();
  for (std::size_t k = 0; k < n; ++k) {
    std::size_t best = k;
    for (std::size_t r = k; r < n; ++r)
      if (std::fabs(a[r][k]) > std::fabs(a[best][k])) best = r;
    std::swap(a[k], a[best]);
    std::swap(b[k], b[best]);
    for (std::size_t r = k + 1; r < n; ++r) {
      const double f = a[r][k] / a[k][k];
      for (std::size_t c = k; c < n; ++c) a[r][c] -= f * a[k][c];
      b[r] -= f * b[k];
    }
  }
  for (std::size_t k = n; k-- > 0;) {
    for (std::size_t c = k + 1; c < n; ++c) b[k] -= a[k][c] * b[c];
    b[k] /= a[k][k];
  }
  return b;
}

std::string printed(const char* format, double x) {
  char line[100];
  std::snprintf(line, sizeof line, format, x);
  return line;
}

}  // namespace

TEST_CASE("rating curve: lines by hand, the spline from the conditions on its pieces") {
  const TemporaryFolder folder;
  const auto r = run_example("rating_curve.eq", folder);
  const std::vector<double> x = {0.20, 0.35, 0.50, 0.70, 0.95, 1.20, 1.60, 2.00},
                            y = {0.4, 1.1, 2.2, 4.3, 8.1, 13.0, 23.5, 37.2};
  // Piece k is the cubic with coefficients 4k … 4k + 3 in the distance from its left end.
  const std::size_t pieces = x.size() - 1, n = 4 * pieces;
  std::vector<std::vector<double>> a;
  std::vector<double> b;
  const auto row = [&](double value) -> std::vector<double>& {
    b.push_back(value);
    return a.emplace_back(n, 0.0);
  };
  for (std::size_t k = 0; k < pieces; ++k) {
    const double h = x[k + 1] - x[k];
    row(y[k])[4 * k] = 1;
    auto& right = row(y[k + 1]);
    for (std::size_t p = 0; p < 4; ++p) right[4 * k + p] = std::pow(h, p);
    if (k + 1 == pieces) continue;
    row(0);
    row(0);
    for (std::size_t p = 1; p < 4; ++p)
      a[a.size() - 2][4 * k + p] = static_cast<double>(p) * std::pow(h, p - 1);
    a[a.size() - 2][4 * k + 5] = -1;
    a.back()[4 * k + 2] = 2;
    a.back()[4 * k + 3] = 6 * h;
    a.back()[4 * k + 6] = -2;
  }
  for (const std::size_t k : {std::size_t{0}, pieces - 2}) {
    auto& jump = row(0);
    jump[4 * k + 3] = 1;
    jump[4 * k + 7] = -1;
  }
  const auto c = eliminated(a, b);
  const auto table = folder.read("flows.csv");
  const auto level = column(table, 0), lines = column(table, 1), spline = column(table, 2);
  REQUIRE(level.size() == 9);
  for (std::size_t i = 0; i < level.size(); ++i) {
    std::size_t k = 0;
    while (k + 2 < x.size() && level[i] >= x[k + 1]) ++k;
    const double t = level[i] - x[k];
    CHECK(lines[i] == Approx(y[k] + (y[k + 1] - y[k]) * t / (x[k + 1] - x[k])));
    CHECK(spline[i] == Approx(c[4 * k] + t * (c[4 * k + 1] + t * (c[4 * k + 2] + t * c[4 * k + 3]))));
  }
  CHECK(r.out.find(printed("10 m³/s flow at %.4f m along lines", 0.95 + 0.25 * (10 - 8.1) / (13.0 - 8.1))) !=
        std::string::npos);
}

TEST_CASE("temperature field: the linear grid by plain loops, a radial function by elimination") {
  const TemporaryFolder folder;
  const auto r = run_example("temperature_field.eq", folder);
  const auto boolean = [](double x, double y) {
    return 14 + 2.2 * std::sin(1.9 * x) * std::cos(1.3 * y) +
           1.5 * std::exp(-3 * (std::pow(x - 1.6, 2) + std::pow(y - 0.9, 2)));
  };
  double worst = 0;
  for (int j = 0; j < 90; ++j)
    for (int i = 0; i < 120; ++i) {
      const double x = 2.4 * i / 119, y = 1.6 * j / 89, u = x / (2.4 / 17), v = y / (1.6 / 13);
      const int p = std::min(static_cast<int>(u), 16), q = std::min(static_cast<int>(v), 12);
      const auto at = [&](int dp, int dq) { return boolean(2.4 * (p + dp) / 17, 1.6 * (q + dq) / 13); };
      const double s = u - p, t = v - q;
      const double value =
          (1 - s) * (1 - t) * at(0, 0) + s * (1 - t) * at(1, 0) + (1 - s) * t * at(0, 1) + s * t * at(1, 1);
      worst = std::max(worst, std::fabs(value - boolean(x, y)));
    }
  CHECK(holds(r, printed("grid, linear: largest error %.4f °C", worst)));
  // The cubic of distances with a plane, in the units of the coordinates.
  const auto table = folder.read("readings.csv");
  const auto xs = column(table, 0), ys = column(table, 1), exact = column(table, 2);
  std::vector<std::vector<double>> a(63, std::vector<double>(63, 0.0));
  std::vector<double> b(63, 0.0);
  const auto cubed = [](double dx, double dy) { return std::pow(dx * dx + dy * dy, 1.5); };
  for (std::size_t i = 0; i < 60; ++i) {
    for (std::size_t j = 0; j < 60; ++j) a[i][j] = cubed(xs[i] - xs[j], ys[i] - ys[j]);
    a[i][60] = a[60][i] = 1;
    a[i][61] = a[61][i] = xs[i];
    a[i][62] = a[62][i] = ys[i];
    b[i] = exact[i];
  }
  const auto w = eliminated(a, b);
  double sum = 0;
  for (int j = 0; j < 90; ++j)
    for (int i = 0; i < 120; ++i) {
      const double x = 2.4 * i / 119, y = 1.6 * j / 89;
      double value = w[60] + w[61] * x + w[62] * y;
      for (std::size_t k = 0; k < 60; ++k) value += w[k] * cubed(x - xs[k], y - ys[k]);
      sum += std::pow(value - boolean(x, y), 2);
    }
  CHECK(
      holds(r, printed("60 exact readings, cubic: %.4f °C off in the mean square", std::sqrt(sum / 10800))));
}

TEST_CASE("sensor noise: the spectrum follows the law, with its moments") {
  const TemporaryFolder folder;
  const auto r = run_example("sensor_noise.eq", folder);
  CHECK(holds(r, "correlations [300, 300], diagonal 1.000 to 1.000"));
  CHECK(r.out.find("sum 300.0") != std::string::npos);
  const auto table = folder.read("spectrum.csv");
  const auto center = column(table, 0), density = column(table, 1);
  double mass = 0, mean = 0, square = 0, off = 0;
  for (std::size_t k = 0; k < center.size(); ++k) {
    mass += 0.1 * density[k];
    mean += 0.1 * density[k] * center[k];
    square += 0.1 * density[k] * center[k] * center[k];
    const double low = std::pow(1 - std::sqrt(0.4), 2), high = std::pow(1 + std::sqrt(0.4), 2), t = center[k];
    const double law =
        t > low && t < high ? std::sqrt((t - low) * (high - t)) / (2 * std::numbers::pi * 0.4 * t) : 0;
    off = std::max(off, std::fabs(density[k] - law));
  }
  CHECK(mass == Approx(1));
  CHECK(mean == Approx(1).margin(0.02));
  CHECK(square == Approx(1.4).margin(0.05));
  CHECK(holds(r, printed("largest deviation of the histogram from theory %.3f", off)));
}

TEST_CASE("integrators: the energies in plain C++, the passage by the arithmetic-geometric mean") {
  const TemporaryFolder folder;
  const auto r = run_example("integrators.eq", folder);
  const double h = 0.05;
  double q = 1.5, v = 0;
  const auto push = [](double place) { return -4 * std::sin(place); };
  const auto energy = [](double place, double speed) {
    return speed * speed / 2 + 4 * (1 - std::cos(place));
  };
  const double at_start = energy(q, v);
  for (int k = 0; k < 4000; ++k) {
    const double q1 = v, v1 = push(q), q2 = v + h / 2 * v1, v2 = push(q + h / 2 * q1), q3 = v + h / 2 * v2,
                 v3 = push(q + h / 2 * q2), q4 = v + h * v3, v4 = push(q + h * q3);
    q += h / 6 * (q1 + 2 * q2 + 2 * q3 + q4);
    v += h / 6 * (v1 + 2 * v2 + 2 * v3 + v4);
  }
  CHECK(holds(r, printed("by hand, fourth order: energy off by %.1e at the end",
                         std::fabs(energy(q, v) / at_start - 1))));
  double place = 1.5, speed = 0, worst = 0;
  for (int k = 0; k < 4000; ++k) {
    speed += h / 2 * push(place);
    place += h * speed;
    speed += h / 2 * push(place);
    worst = std::max(worst, std::fabs(energy(place, speed) / at_start - 1));
  }
  CHECK(r.out.find(printed("by hand, leaping: off by %.1e at most", worst)) != std::string::npos);
  double a = 1, g = std::cos(0.75);
  for (int k = 0; k < 6; ++k) {
    const double mean = (a + g) / 2;
    g = std::sqrt(a * g);
    a = mean;
  }
  const auto quarter = printed("%.8f", std::numbers::pi / (4 * a));
  CHECK(holds(r, "first passage " + quarter + ", by the integral " + quarter));
}

TEST_CASE("thermistor year: its file by the library of NetCDF, its heat by plain loops") {
  const TemporaryFolder folder;
  const auto r = run_example("thermistor_year.eq", folder);
  const auto dumped = run_program("/usr/bin/ncdump", {"-v", "depth", kExamples + "lake/chain.nc"});
  REQUIRE(dumped.status == 0);
  for (const char* line : {"temperature(time, depth)", "time = UNLIMITED ; // (8760 currently)",
                           "depth:positive = \"down\"", "temperature:cell_methods = \"time: mean\"",
                           "depth = 0.5, 2, 4, 6, 8, 9.5, 11, 12.5, 14, 17, 21, 26, 31, 36"})
    CHECK(has(dumped.out, line));
  const auto file = read_netcdf(read_text(kExamples + "lake/chain.nc"), "chain.nc", {});
  const auto z = file.items[1].array.to_vector<double>();
  const auto t = file.items[2].array.to_vector<float>();
  double most = 0, hottest = 0;
  int layered = 0;
  for (std::size_t k = 0; k < 8760; ++k) {
    const auto* row = t.data() + k * 14;
    double heat = 0;
    for (std::size_t c = 0; c + 1 < 14; ++c) heat += (z[c + 1] - z[c]) * (row[c] + row[c + 1] - 8.0) / 2;
    if (heat > most) most = heat;
    hottest = std::max<double>(hottest, row[0]);
    layered += static_cast<double>(row[0]) - row[13] > 5;
  }
  CHECK(has(r.out, fmt::format("warmest at the surface: {:.1f} °C", hottest)));
  CHECK(has(r.out, fmt::format("for {:.0f} days", layered / 24.0)));
  CHECK(has(r.out, fmt::format("largest heat content {:.0f} MJ/m²", 4.19 * most)));
  CHECK(folder.has("thermistor_year.png"));
}
