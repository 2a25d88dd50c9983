#include "figure/describe.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/number.h"
#include "base/text.h"
#include "base/time_text.h"
#include "figure/animation.h"

namespace quill {

namespace {

// Without the signs of formulas.
std::string plain(const std::string& text) {
  std::string out;
  for (std::size_t k = 0; k < text.size(); ++k) {
    if (text[k] == '\\' && k + 1 < text.size() && text[k + 1] == '$') continue;
    if (text[k] == '$' || text[k] == '\\' || text[k] == '{' || text[k] == '}') continue;
    out += text[k];
  }
  return printable(out);
}

struct DataExtent {
  double low = std::numeric_limits<double>::infinity(), high = -std::numeric_limits<double>::infinity();
  bool is_time = false;
  void add(const std::vector<double>& values) {
    for (const double v : values)
      if (std::isfinite(v)) {
        low = std::min(low, v);
        high = std::max(high, v);
      }
  }
};

std::string number_text(double v, bool is_time) { return is_time ? time_text(v) : fmt::format("{:.4g}", v); }

std::string axis_text(const char* letter, const Axis& axis, const std::string& name, DataExtent extent) {
  if (axis.limits) {
    extent.low = axis.limits->low;
    extent.high = axis.limits->high;
  }
  const auto title = plain(axis.title.empty() ? name : axis.title);
  auto out = std::string(letter);
  if (!title.empty()) out += fmt::format(", {},", title);
  if (!(extent.low <= extent.high)) return title.empty() ? "" : out.substr(0, out.size() - 1);
  out += fmt::format(" from {} to {}", number_text(extent.low, extent.is_time),
                     number_text(extent.high, extent.is_time));
  if (axis.scale == ScaleKind::log) out += ", logarithmic";
  return out;
}

std::string layers_text(const Panel& panel) {
  std::vector<std::string> parts;
  for (const auto& layer : panel.layers) {
    std::string_view kind = layer.is_histogram ? "histogram" : name_of(layer.kind);
    constexpr std::string_view prefix = "layer of ";
    if (kind.starts_with(prefix)) kind.remove_prefix(prefix.size());
    auto part = layer.label.empty() ? std::string(kind) : fmt::format("{} \"{}\"", kind, plain(layer.label));
    if (std::find(parts.begin(), parts.end(), part) == parts.end()) parts.push_back(std::move(part));
  }
  constexpr std::size_t most = 8;
  if (parts.size() > most) {
    const auto more = parts.size() - most;
    parts.resize(most);
    parts.push_back(fmt::format("{} more", more));
  }
  return list_in_prose(parts);
}

std::string panel_text(const Panel& panel) {
  DataExtent x, left, right, z;
  std::string x_name, left_name, right_name, z_name;
  for (const auto& layer : panel.layers) {
    for (const auto* values : {&layer.x, &layer.left}) x.add(*values);
    auto& y = layer.on_right ? right : left;
    auto& y_name = layer.on_right ? right_name : left_name;
    for (const auto* values : {&layer.low, &layer.high}) y.add(*values);
    if (layer.kind == Layer::Kind::boxes) x.add(layer.right);
    y.add(layer.y);
    z.add(layer.z);
    x.is_time = x.is_time || layer.x_is_time;
    y.is_time = y.is_time || layer.y_is_time;
    z.is_time = z.is_time || layer.z_is_time;
    if (x_name.empty()) x_name = layer.x_name;
    if (y_name.empty()) y_name = layer.y_name;
    if (z_name.empty()) z_name = layer.z_name;
  }
  std::vector<std::string> axes = {
      axis_text("x", panel.x, x_name, x), axis_text("y", panel.y, left_name, left),
      panel.shows_right() ? axis_text("right", panel.right, right_name, right) : "",
      axis_text(panel.is_spatial() ? "z" : "values", panel.z, z_name, z)};
  std::erase(axes, "");
  auto out = panel.title.empty() ? std::string() : plain(panel.title) + ": ";
  out += layers_text(panel);
  if (!axes.empty()) out += fmt::format("; {}", fmt::join(axes, "; "));
  return out;
}

}  // namespace

std::string description_of(const Figure& figure) {
  if (!figure.description.empty()) return printable(figure.description);
  if (!figure.frames.empty())
    return fmt::format("Animated figure of {} frames, for values from {} to {}; the first one: {}",
                       figure.frames.size(), printable(figure.frames.front().label),
                       printable(figure.frames.back().label), description_of(frame_of(figure, 0)));
  std::vector<std::string> sentences;
  for (const auto* title : {&figure.title, &figure.subtitle})
    if (!title->empty()) sentences.push_back(plain(*title));
  const auto count = figure.panels.size();
  for (std::size_t k = 0; k < count; ++k)
    sentences.push_back((count > 1 ? fmt::format("Panel {} of {}: ", k + 1, count) : std::string()) +
                        panel_text(figure.panels[k]));
  std::string out;
  for (const auto& sentence : sentences)
    if (!sentence.empty()) out += (out.empty() ? "" : " ") + sentence + (sentence.ends_with('.') ? "" : ".");
  return out.empty() ? "Figure " + figure.name : out;
}

}  // namespace quill
