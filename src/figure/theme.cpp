#include "figure/model.h"

namespace quill {

namespace {

// Lightness, chroma and hue of the eight colours, in OKLCH. Neighbours differ in lightness too, so that
// they are told apart without hue; color_test.cpp holds the bound.
std::vector<Color> make_cycle() {
  return {
      from_oklch(0.43, 0.115, 248), from_oklch(0.67, 0.165, 52),  from_oklch(0.57, 0.105, 172),
      from_oklch(0.51, 0.185, 18),  from_oklch(0.75, 0.105, 228), from_oklch(0.36, 0.125, 312),
      from_oklch(0.83, 0.140, 98),  from_oklch(0.28, 0.025, 70),
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

}  // namespace

const Theme* find_theme(std::string_view name) {
  static const Theme quill_theme = make_quill();
  return name == "quill" ? &quill_theme : nullptr;
}

std::vector<std::string> theme_names() { return {"quill"}; }

namespace {

constexpr std::pair<const char*, Dash> kDashes[] = {
    {"solid", Dash::solid}, {"dashed", Dash::dashed}, {"dotted", Dash::dotted}, {"dash_dot", Dash::dash_dot}};
constexpr std::pair<const char*, Marker> kMarkers[] = {
    {"none", Marker::none},     {"disc", Marker::disc},       {"ring", Marker::ring},
    {"square", Marker::square}, {"diamond", Marker::diamond}, {"triangle", Marker::triangle},
    {"cross", Marker::cross},   {"plus", Marker::plus}};

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

std::optional<Dash> parse_dash(std::string_view name) { return find_in(kDashes, name); }
std::optional<Marker> parse_marker(std::string_view name) { return find_in(kMarkers, name); }
std::vector<std::string> dash_names() { return names_in(kDashes); }
std::vector<std::string> marker_names() { return names_in(kMarkers); }

std::vector<std::string> legend_places() {
  return {"best", "top left", "top right", "bottom left", "bottom right",
          "top",  "bottom",   "left",      "right",       "outside right"};
}

}  // namespace quill
