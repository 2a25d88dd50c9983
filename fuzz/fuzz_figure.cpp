// Any figure of any data and options is laid out and drawn in every format; it may fail, but only with an
// Error.
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <cstring>
#include <limits>

#include "base/error.h"
#include "figure/layout.h"
#include "figure/palette.h"
#include "render/render.h"

using namespace quill;

namespace {

// Choices made from the bytes of the fuzzer; zeros when they have run out.
class Choices {
 public:
  Choices(const std::uint8_t* data, std::size_t size) : data_(data), size_(size) {}
  bool is_empty() const { return at_ >= size_; }
  unsigned up_to(unsigned most) { return most == 0 ? 0 : byte() % (most + 1); }
  bool flip() { return byte() & 1; }
  double number() {
    constexpr double odd[] = {0,   -0.0,     1,         -1,   1e308, -1e308, 1e-308,
                              NAN, INFINITY, -INFINITY, 1e15, 0.1,   1.78e9};
    const auto how = byte();
    if (how < 60) return odd[how % std::size(odd)];
    if (how < 200) return (how - 130) * 0.25;
    double out = 0;
    std::uint8_t bytes[8];
    for (auto& b : bytes) b = byte();
    std::memcpy(&out, bytes, 8);
    return out;
  }
  double finite() {
    const double v = number();
    return std::isfinite(v) ? v : 2.5;
  }
  // Above 0 and not above the limit.
  double positive(double most) { return std::min(most, std::max(1e-3, std::fabs(finite()))); }
  std::vector<double> numbers(std::size_t n) {
    std::vector<double> out;
    for (std::size_t k = 0; k < n; ++k) out.push_back(number());
    return out;
  }
  std::string text() {
    constexpr const char* pieces[] = {
        "$",        "\\frac{",    "}",      "{",       "^",        "_",      "x",     "\\alpha",
        " ",        "level",      "\\sqrt", "\\left(", "\\right)", "μ",      "\\hat", "10",
        "-",        "(m)",        "\\sum",  "'",       "\\text{",  "<&>",    "[",     "]",
        "\\mathbb", "\\overline", "\n",     "水",      "\\nosuch", "\\quad", "=",     "\\$"};
    std::string out;
    for (auto n = up_to(12); n > 0; --n) out += pieces[byte() % std::size(pieces)];
    return out;
  }
  template <class T, std::size_t N>
  T one_of(const T (&values)[N]) {
    return values[byte() % N];
  }

 private:
  std::uint8_t byte() { return at_ < size_ ? data_[at_++] : 0; }
  const std::uint8_t* data_;
  std::size_t size_, at_ = 0;
};

Color any_color(Choices& c) {
  return {c.up_to(255) / 255.0, c.up_to(255) / 255.0, c.up_to(255) / 255.0, c.up_to(4) / 4.0};
}

void set_looks(Choices& c, Layer& layer) {
  if (c.flip()) layer.label = c.text();
  if (c.flip()) layer.color = any_color(c);
  if (c.flip()) layer.cycle = 1 + static_cast<int>(c.up_to(7));
  layer.width = c.positive(100);
  layer.size = c.positive(200);
  layer.opacity = c.up_to(4) / 4.0;
  layer.marker = static_cast<Marker>(c.up_to(7));
  if (c.flip()) layer.dash = static_cast<Dash>(c.up_to(3));
  if (c.flip()) layer.order = c.finite();
  if (c.flip()) layer.base = c.finite();
  layer.x_is_time = c.up_to(7) == 0;
  layer.x_is_count = c.up_to(7) == 0;
  if (c.flip()) layer.x_name = c.text();
}

// Data as the built-ins leave it: vectors of one length, grids whose coordinates run one way.
Layer any_layer(Choices& c) {
  Layer layer;
  using enum Layer::Kind;
  layer.kind = c.one_of({line, scatter, stems, boxes, region, error_bars, heatmap, contours, filled_contours,
                         arrows, surface, wireframe});
  set_looks(c, layer);
  if (layer.is_grid()) {
    const auto coordinates = [&](std::size_t n) {
      std::vector<double> out;
      const double start = c.up_to(9) - 4.0, step = c.one_of({1.0, -1.0, 1e-9, 1e9, 0.37});
      double uneven = 0;
      for (std::size_t k = 0; k < n; ++k, uneven += c.up_to(3) * 0.1)
        out.push_back(start + step * (static_cast<double>(k) + uneven));
      return out;
    };
    const std::size_t cells = layer.kind == heatmap ? 1 : 0;
    const std::size_t columns = 2 + c.up_to(5), rows = 2 + c.up_to(5);
    layer.x = coordinates(columns);
    layer.y = coordinates(rows);
    layer.z = c.numbers((columns - cells) * (rows - cells));
    if (c.flip()) layer.palette = palette_names()[c.up_to(6)];
    if (c.flip()) {
      const double low = c.finite(), high = c.finite();
      if (low < high) layer.range = Limits{low, high};
    }
    for (auto n = c.up_to(4); n > 0; --n) layer.levels.push_back(c.finite());
    layer.mesh = c.flip();
    return layer;
  }
  const std::size_t n = c.up_to(12);
  if (layer.kind == boxes) {
    for (auto* v : {&layer.left, &layer.right, &layer.low, &layer.high}) *v = c.numbers(n);
    layer.is_histogram = c.flip();
    if (layer.is_histogram) layer.x = c.numbers(n + 1);
    return layer;
  }
  layer.x = c.numbers(n);
  if (layer.kind != region) layer.y = c.numbers(n);
  if (layer.kind == region || layer.kind == error_bars) {
    layer.low = c.numbers(n);
    layer.high = c.numbers(n);
  }
  if (layer.kind == error_bars && c.flip()) {
    layer.left = c.numbers(n);
    layer.right = c.numbers(n);
  }
  if (layer.kind == arrows) {
    layer.right = c.numbers(n);
    layer.high = c.numbers(n);
  }
  if ((layer.kind == line || layer.kind == scatter) && c.up_to(5) == 0) layer.z = c.numbers(n);
  if (layer.kind == scatter && c.flip()) layer.values = c.numbers(n);
  return layer;
}

void set_axis(Choices& c, Axis& axis) {
  if (c.flip()) axis.title = c.text();
  axis.scale = static_cast<ScaleKind>(c.up_to(3));
  if (c.flip()) {
    const double low = c.finite(), high = c.finite();
    if (low < high) axis.limits = Limits{low, high};
  }
  if (c.up_to(3) == 0) {
    axis.ticks.emplace();
    for (auto n = c.up_to(9); n > 0; --n) axis.ticks->push_back(c.finite());
    if (c.flip())
      for (std::size_t k = 0; k < axis.ticks->size(); ++k) axis.tick_labels.push_back(c.text());
  }
  axis.reverse = c.flip();
  axis.minor = c.flip();
  axis.label_box = c.flip();
  if (c.up_to(3) == 0) axis.at = c.finite();
  if (c.up_to(3) == 0) axis.size = c.positive(100);
  if (c.up_to(3) == 0) axis.format = c.one_of<const char*>({".2f", "e", "g", ".0f"});
}

Panel any_panel(Choices& c) {
  Panel p;
  for (auto n = c.up_to(4); n > 0; --n) p.layers.push_back(any_layer(c));
  set_axis(c, p.x);
  set_axis(c, p.y);
  set_axis(c, p.z);
  if (c.flip()) p.title = c.text();
  if (c.flip()) p.legend = parse_legend_place(legend_places()[c.up_to(10)]);
  if (c.flip()) p.grid = parse_grid(c.one_of<const char*>({"x", "y", "x y", "none"}));
  if (c.flip()) p.frame = parse_edges(c.one_of<const char*>({"all", "none", "left", "bottom top", "right"}));
  for (auto n = c.up_to(2); n > 0; --n) {
    Note note;
    note.text = c.text();
    note.x = c.number();
    note.y = c.number();
    note.dx = c.finite();
    note.dy = c.finite();
    note.arrow = *parse_arrow(c.one_of<const char*>({"none", "straight", "curved"}));
    note.box = c.flip();
    if (c.flip()) note.size = c.positive(100);
    p.notes.push_back(note);
  }
  for (auto n = c.up_to(2); n > 0; --n) {
    Guide guide;
    guide.is_vertical = c.flip();
    guide.at = c.number();
    if (c.flip()) guide.from = c.number();
    if (c.flip()) guide.to = c.number();
    p.guides.push_back(guide);
  }
  if (c.flip()) {
    p.color_bar = ColorBar{c.text(), std::nullopt};
    if (c.flip()) p.color_bar->ticks = std::vector<double>{c.finite(), c.finite()};
  }
  if (c.flip()) p.palette = palette_names()[c.up_to(6)];
  p.turn = c.finite();
  p.tilt = std::fmod(c.finite(), 90);
  return p;
}

Figure any_figure(Choices& c) {
  Figure f;
  f.name = "fuzz";
  f.width = c.flip() ? 120 : c.positive(300);
  f.height = c.flip() ? 90 : c.positive(300);
  f.theme = theme_names()[c.up_to(4)];
  f.rows = 1 + static_cast<int>(c.up_to(1));
  f.columns = 1 + static_cast<int>(c.up_to(1));
  f.link_x = *parse_link(c.one_of<const char*>({"", "rows", "columns", "all"}));
  f.link_y = *parse_link(c.one_of<const char*>({"", "rows", "columns", "all"}));
  f.title = c.text();
  f.subtitle = c.text();
  for (int r = 1; r <= f.rows; ++r)
    for (int k = 1; k <= f.columns; ++k) {
      if (c.is_empty()) continue;
      auto p = any_panel(c);
      p.row = r;
      p.column = k;
      f.panels.push_back(std::move(p));
    }
  if (c.up_to(3) == 0) {
    auto p = any_panel(c);
    p.place =
        Fractions{c.up_to(9) / 20.0, c.up_to(9) / 20.0, (1 + c.up_to(9)) / 20.0, (1 + c.up_to(9)) / 20.0};
    f.panels.push_back(std::move(p));
  }
  if (f.panels.empty()) f.panels.emplace_back();
  return f;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  static const auto measurer = make_text_measurer();
  Choices choices(data, size);
  const auto figure = any_figure(choices);
  try {
    const auto list = lay_out(figure, *measurer);
    for (const auto& item : list.items)
      if (const auto* text = std::get_if<DrawnText>(&item))
        if (!std::isfinite(text->at.x + text->at.y)) {
          std::fprintf(stderr, "the text \"%s\" (%s) has no place\n", text->source.c_str(),
                       text->role.c_str());
          __builtin_trap();
        }
    render(list, choices.one_of<const char*>({"png", "svg", "pdf"}), 40);
  } catch (const Error&) {}
  return 0;
}
