#include "figure_benchmarks.h"

#include <benchmark/benchmark.h>
#include <cairo.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <string>
#include <vector>

#include "session/session.h"

namespace {

constexpr int kWidth = 1260, kHeight = 787;

cairo_status_t count_bytes(void* total, const unsigned char*, unsigned int length) {
  *static_cast<std::size_t*>(total) += length;
  return CAIRO_STATUS_SUCCESS;
}

// A page of paper, what `draw` puts on it, and the bytes of its PNG.
template <class Draw>
std::size_t page(Draw draw) {
  auto* surface = cairo_image_surface_create(CAIRO_FORMAT_RGB24, kWidth, kHeight);
  auto* cr = cairo_create(surface);
  cairo_set_source_rgb(cr, 0.99, 0.99, 0.98);
  cairo_paint(cr);
  draw(cr);
  std::size_t bytes = 0;
  cairo_surface_write_to_png_stream(surface, count_bytes, &bytes);
  cairo_destroy(cr);
  cairo_surface_destroy(surface);
  return bytes;
}

// The lowest and the highest value of each column of pixels, as one stroke in short parts.
void line_alone(cairo_t* cr, const std::vector<double>& y) {
  cairo_set_source_rgb(cr, 0, 0.3, 0.55);
  cairo_set_line_width(cr, 2.5);
  cairo_set_line_join(cr, CAIRO_LINE_JOIN_ROUND);
  const double step = static_cast<double>(y.size()) / kWidth;
  for (int column = 0; column < kWidth; ++column) {
    const auto from = y.begin() + static_cast<std::ptrdiff_t>(column * step),
               to = column + 1 == kWidth ? y.end()
                                         : y.begin() + static_cast<std::ptrdiff_t>((column + 1) * step);
    const auto [low, high] = std::minmax_element(from, to);
    cairo_line_to(cr, column, kHeight * (0.5 - 0.1 * *low));
    cairo_line_to(cr, column, kHeight * (0.5 - 0.1 * *high));
    if (column % 32 == 31) {
      cairo_stroke(cr);
      cairo_move_to(cr, column, kHeight * (0.5 - 0.1 * *high));
    }
  }
  cairo_stroke(cr);
}

double ripple(double x, double y) {
  const double r = std::hypot(x, y);
  return r == 0 ? 1 : std::sin(r) / r;
}

// As good as random.
double roughness(double x, double y) {
  const double v = std::sin(127.1 * x + 311.7 * y) * 43758.5453;
  return v - std::floor(v);
}

// The cells of a surface from the back to the front, each as a filled path.
void surface_alone(cairo_t* cr, int n, double (*height)(double x, double y)) {
  const auto at = [&](int i, int j) {
    const double x = -8 + 16.0 * i / (n - 1), y = -8 + 16.0 * j / (n - 1);
    return std::pair{630 + 45 * (0.82 * x - 0.57 * y), 420 - 180 * height(x, y) + 20 * (0.57 * x + 0.82 * y)};
  };
  cairo_set_antialias(cr, CAIRO_ANTIALIAS_NONE);
  for (int j = 0; j + 1 < n; ++j)
    for (int i = 0; i + 1 < n; ++i) {
      cairo_set_source_rgb(cr, 0.2, i / 600.0, j / 600.0);
      for (const auto& [a, b] : {at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)})
        cairo_line_to(cr, a, b);
      cairo_close_path(cr);
      cairo_fill(cr);
    }
}

// Twelve panels of a line, two edges, ten ticks with numbers and a title.
void panels_alone(cairo_t* cr) {
  cairo_set_font_size(cr, 20);
  for (int p = 0; p < 12; ++p) {
    const double x = 60 + p % 4 * 300, y = 40 + p / 4 * 255;
    cairo_set_source_rgb(cr, 0.1, 0.1, 0.1);
    cairo_set_line_width(cr, 2);
    cairo_move_to(cr, x, y);
    cairo_line_to(cr, x, y + 180);
    cairo_line_to(cr, x + 230, y + 180);
    cairo_stroke(cr);
    for (int t = 0; t < 5; ++t) {
      cairo_move_to(cr, x - 40, y + 180 - 45 * t);
      cairo_show_text(cr, std::to_string(t).c_str());
      cairo_move_to(cr, x + 57 * t, y + 205);
      cairo_show_text(cr, std::to_string(t).c_str());
    }
    cairo_move_to(cr, x, y - 10);
    cairo_show_text(cr, "panel");
    cairo_set_source_rgb(cr, 0, 0.3, 0.55);
    for (int k = 0; k <= 100; ++k) cairo_line_to(cr, x + 2.3 * k, y + 90 - 80 * std::sin(0.1 * k + p));
    cairo_stroke(cr);
  }
}

void script(benchmark::State& state, const std::string& before, const std::string& statement) {
  quill::MemoryHost host;
  quill::SessionOptions options;
  options.interactive = true;  // a figure may be drawn again
  quill::SilentOutput output;
  quill::Session session(host, output, options);
  bool ok = session.run("before", before);
  for (auto _ : state) ok = session.run("bench", statement) && ok;
  if (!ok) state.SkipWithError("the script failed");
}

void add(const std::string& name, const std::string& before, const std::string& statement,
         void (*alone)(benchmark::State&)) {
  const auto run = [=](benchmark::State& s) { script(s, before, statement); };
  for (auto* b : {benchmark::RegisterBenchmark((name + "/script").c_str(), run),
                  benchmark::RegisterBenchmark((name + "/cairo").c_str(), alone)})
    b->Unit(benchmark::kMillisecond)->UseRealTime()->Repetitions(3);
}

}  // namespace

void register_figure_benchmarks() {
  add("line 10^7", "x = 0..10 count 10^7\ny = sin(x) + 0.3 * random_normal(10^7)\n",
      "figure(\"f\") { line(x, y) }", [](benchmark::State& s) {
        std::vector<double> y(10000000);
        for (std::size_t k = 0; k < y.size(); ++k)
          y[k] = std::sin(1e-6 * static_cast<double>(k)) + 0.3 * std::sin(static_cast<double>(k * k % 1013));
        for (auto _ : s) benchmark::DoNotOptimize(page([&](cairo_t* cr) { line_alone(cr, y); }));
      });
  add("surface 500x500", "x = -8..8 count 500\nz = sinc(hypot(across(x), down(x)) / pi)\n",
      "figure(\"f\") { surface(x, x, z) }", [](benchmark::State& s) {
        for (auto _ : s) benchmark::DoNotOptimize(page([](cairo_t* cr) { surface_alone(cr, 500, ripple); }));
      });
  add("rough surface 500x500", "z = random(500, 500)\n", "figure(\"f\") { surface(z) }",
      [](benchmark::State& s) {
        for (auto _ : s)
          benchmark::DoNotOptimize(page([](cairo_t* cr) { surface_alone(cr, 500, roughness); }));
      });
  add("page of 12 panels", "x = 0..10 count 101\n",
      "figure(\"f\", rows: 3, columns: 4) {\n for r in 1..3 { for c in 1..4 {\n panel(r, c) {\n line(x, "
      "sin(x + r + c))\n"
      " title(\"panel\")\n }\n } }\n}",
      [](benchmark::State& s) {
        for (auto _ : s) benchmark::DoNotOptimize(page(panels_alone));
      });
}
