#include <sstream>
#include "figure/model.h"

namespace quill {

namespace {

// Lightness, chroma and hue of the eight colours, in OKLCH: plum, marigold, petrol, terracotta, moss, orchid,
// mint, umber. The first two are farthest apart; all differ in lightness too, so that they can be
// distinguished without hue (found by a random search for the largest least distance in all visions;
// figure_test.cpp holds the bounds).
std::vector<Color> make_cycle() {
  return {
      from_oklch(0.385, 0.111, 312), from_oklch(0.716, 0.144, 89),  from_oklch(0.529, 0.110, 217),
      from_oklch(0.616, 0.143, 31),  from_oklch(0.415, 0.083, 141), from_oklch(0.665, 0.120, 314),
      from_oklch(0.778, 0.104, 177), from_oklch(0.286, 0.055, 49),
  };
}

Theme make_quill() {
  Theme t;
  t.paper = from_oklch(0.988, 0.006, 85);
  t.ink = from_oklch(0.27, 0.02, 255);
  t.soft = from_oklch(0.45, 0.015, 255);
  t.grid = from_oklch(0.915, 0.008, 85);
  t.cycle = make_cycle();
  return t;
}

// High contrast for a screen in the sun: white, black, thick.
Theme make_field() {
  Theme t;
  t.paper = {1, 1, 1};
  t.ink = t.soft = {0, 0, 0};
  t.grid = from_oklch(0.86, 0, 0);
  t.cycle = {from_oklch(0.342, 0.196, 312), from_oklch(0.712, 0.180, 75),  from_oklch(0.475, 0.114, 217),
             from_oklch(0.600, 0.190, 30),  from_oklch(0.378, 0.116, 129), from_oklch(0.658, 0.116, 316),
             from_oklch(0.743, 0.128, 180), from_oklch(0.247, 0.036, 35)};
  t.tick_size = 8.5;
  t.axis_title_size = 9.5;
  t.axis_width = 1.4;
  t.grid_width = 0.7;
  t.line_factor = 1.5;
  return t;
}

Theme make_night() {
  Theme t;
  t.paper = from_oklch(0.21, 0.015, 260);
  t.ink = from_oklch(0.93, 0.008, 90);
  t.soft = from_oklch(0.76, 0.01, 250);
  t.grid = from_oklch(0.32, 0.015, 260);
  t.cycle = {from_oklch(0.596, 0.158, 338), from_oklch(0.905, 0.123, 103), from_oklch(0.733, 0.112, 205),
             from_oklch(0.702, 0.162, 8),   from_oklch(0.626, 0.082, 124), from_oklch(0.831, 0.091, 295),
             from_oklch(0.857, 0.070, 177), from_oklch(0.520, 0.078, 53)};
  return t;
}

// For black ink: greys that differ in lightness, distinguished by dashes and markers too.
Theme make_print() {
  Theme t;
  t.paper = {1, 1, 1};
  t.ink = t.soft = {0, 0, 0};
  t.grid = from_oklch(0.90, 0, 0);
  t.cycle = {from_oklch(0.10, 0, 0), from_oklch(0.52, 0, 0), from_oklch(0.72, 0, 0), from_oklch(0.31, 0, 0),
             from_oklch(0.62, 0, 0), from_oklch(0.20, 0, 0), from_oklch(0.82, 0, 0), from_oklch(0.42, 0, 0)};
  t.default_grid = {};
  t.varies_dashes = true;
  return t;
}

Theme make_slides() {
  Theme t = make_quill();
  t.title_size = 16;
  t.panel_title_size = 13;
  t.axis_title_size = 13;
  t.tick_size = 12;
  t.legend_size = 12.5;
  t.axis_width = 1.2;
  t.grid_width = 0.8;
  t.tick_length = 5;
  t.line_factor = 1.6;
  return t;
}

struct NamedTheme {
  const char* name;
  Theme theme;
};

const std::vector<NamedTheme>& themes() {
  static const std::vector<NamedTheme> all = {{"quill", make_quill()},
                                              {"field", make_field()},
                                              {"night", make_night()},
                                              {"print", make_print()},
                                              {"slides", make_slides()}};
  return all;
}

}  // namespace

const Theme* find_theme(std::string_view name) {
  for (const auto& [known, theme] : themes())
    if (known == name) return &theme;
  return nullptr;
}

Theme theme_of(const Figure& figure) {
  auto out = *find_theme(figure.theme);
  for (double* size :
       {&out.title_size, &out.panel_title_size, &out.axis_title_size, &out.tick_size, &out.legend_size,
        &out.axis_width, &out.grid_width, &out.tick_length, &out.line_factor})
    *size *= figure.text_scale;
  return out;
}

const FigureSize* find_figure_size(std::string_view name) {
  // A column and the width of a page of a journal; a slide of 16:9; a poster read from some metres.
  static constexpr FigureSize sizes[] = {
      {"column", 85, 60, 1}, {"page", 170, 105, 1}, {"slide", 254, 143, 1.6}, {"poster", 420, 270, 2.6}};
  for (const auto& size : sizes)
    if (size.name == name) return &size;
  return nullptr;
}

std::vector<std::string> theme_names() {
  std::vector<std::string> out;
  for (const auto& [name, theme] : themes()) out.emplace_back(name);
  return out;
}

namespace {

constexpr std::pair<const char*, Dash> kDashes[] = {
    {"solid", Dash::solid}, {"dashed", Dash::dashed}, {"dotted", Dash::dotted}, {"dash_dot", Dash::dash_dot}};
constexpr std::pair<const char*, Marker> kMarkers[] = {
    {"none", Marker::none},     {"disc", Marker::disc},       {"ring", Marker::ring},
    {"square", Marker::square}, {"diamond", Marker::diamond}, {"triangle", Marker::triangle},
    {"cross", Marker::cross},   {"plus", Marker::plus}};

constexpr std::pair<const char*, Pattern> kPatterns[] = {
    {"none", Pattern::none},       {"rising", Pattern::rising}, {"falling", Pattern::falling},
    {"crossed", Pattern::crossed}, {"level", Pattern::level},   {"upright", Pattern::upright},
    {"dotted", Pattern::dotted}};

constexpr std::pair<const char*, LegendPlace> kLegendPlaces[] = {
    {"best", LegendPlace::best},
    {"top left", LegendPlace::top_left},
    {"top right", LegendPlace::top_right},
    {"bottom left", LegendPlace::bottom_left},
    {"bottom right", LegendPlace::bottom_right},
    {"top", LegendPlace::top},
    {"bottom", LegendPlace::bottom},
    {"left", LegendPlace::left},
    {"right", LegendPlace::right},
    {"outside right", LegendPlace::outside_right},
    {"ends", LegendPlace::ends}};
constexpr std::pair<const char*, Link> kLinks[] = {
    {"rows", Link::rows}, {"columns", Link::columns}, {"all", Link::all}, {"", Link::none}};
constexpr std::pair<const char*, Arrow> kArrows[] = {
    {"none", Arrow::none}, {"straight", Arrow::straight}, {"curved", Arrow::curved}};
constexpr std::pair<const char*, GridLines> kGrids[] = {
    {"x", {true, false}}, {"y", {false, true}}, {"x y", {true, true}}, {"none", {false, false}}};

template <class T, std::size_t N>
std::optional<T> find_in(const std::pair<const char*, T> (&table)[N], std::string_view name) {
  for (const auto& [n, value] : table)
    if (n == name) return value;
  return std::nullopt;
}

template <class T, std::size_t N>
std::vector<std::string> names_in(const std::pair<const char*, T> (&table)[N]) {
  std::vector<std::string> out;
  for (const auto& [n, value] : table) out.emplace_back(n);
  return out;
}

}  // namespace

std::vector<std::string> animated_formats() { return {"png", "html", "mp4"}; }
std::vector<std::string> figure_formats() { return {"png", "svg", "pdf", "html"}; }

std::optional<Dash> parse_dash(std::string_view name) { return find_in(kDashes, name); }
std::optional<Pattern> parse_pattern(std::string_view name) { return find_in(kPatterns, name); }
std::optional<Marker> parse_marker(std::string_view name) { return find_in(kMarkers, name); }
std::vector<std::string> dash_names() { return names_in(kDashes); }
std::vector<std::string> pattern_names() { return names_in(kPatterns); }
std::vector<std::string> marker_names() { return names_in(kMarkers); }

std::optional<LegendPlace> parse_legend_place(std::string_view name) { return find_in(kLegendPlaces, name); }
std::vector<std::string> legend_places() { return names_in(kLegendPlaces); }
std::optional<Link> parse_link(std::string_view name) { return find_in(kLinks, name); }
std::optional<Arrow> parse_arrow(std::string_view name) { return find_in(kArrows, name); }
std::optional<GridLines> parse_grid(std::string_view name) { return find_in(kGrids, name); }

std::optional<Edges> parse_edges(std::string_view names, std::string* wrong) {
  Edges out;
  std::istringstream words{std::string(names)};
  for (std::string word; words >> word;) {
    if (word == "all")
      out = {true, true, true, true};
    else if (word == "left")
      out.left = true;
    else if (word == "bottom")
      out.bottom = true;
    else if (word == "right")
      out.right = true;
    else if (word == "top")
      out.top = true;
    else if (word != "none") {
      if (wrong) *wrong = word;
      return std::nullopt;
    }
  }
  return out;
}

}  // namespace quill
