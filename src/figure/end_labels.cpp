#include "figure/end_labels.h"

#include <algorithm>
#include <cmath>

namespace quill {

namespace {

constexpr double kEndGap = 0.5, kBeside = 6, kBehind = 2;

}  // namespace

EndLabels plan_end_labels(const Panel& panel, double height, double widest, const Theme& theme,
                          TextLayer& text) {
  EndLabels out;
  double used = 0;
  for (std::size_t k = 0; k < panel.layers.size(); ++k) {
    const auto& layer = panel.layers[k];
    if (layer.label.empty() || layer.kind != Layer::Kind::line) continue;
    auto label = text.shortened_line(layer.label, {theme.legend_size}, widest);
    used += label.height() + kEndGap;
    if (used > height + label.height()) continue;
    out.width = std::max(out.width, kBeside + label.width + kBehind);
    out.layers.push_back(k);
    out.labels.push_back(std::move(label));
  }
  return out;
}

void draw_end_labels(const EndLabels& plan, const Panel& panel, const std::vector<Look>& looks,
                     const Mapping& map, const Mapping& right, double beside, DisplayList& out) {
  struct End {
    double y;
    std::size_t place;  // in the plan
  };
  std::vector<End> ends;
  for (std::size_t place = 0; place < plan.layers.size(); ++place) {
    const auto& layer = panel.layers[plan.layers[place]];
    // The last point inside the panel.
    for (std::size_t i = layer.x.size(); i-- > 0;) {
      const auto p = (layer.on_right ? right : map)(layer.x[i], layer.y[i]);
      if (!(p.y >= map.area.y - 1 && p.y <= map.area.bottom() + 1 && p.x <= map.area.right() + 1)) continue;
      ends.push_back({p.y, place});
      break;
    }
  }
  std::stable_sort(ends.begin(), ends.end(), [](const End& a, const End& b) { return a.y < b.y; });
  // Pushed apart downwards, then back up where that leads out of the panel.
  const auto step = [&](const End& end) { return plan.labels[end.place].height() + kEndGap; };
  for (std::size_t k = 1; k < ends.size(); ++k)
    ends[k].y = std::max(ends[k].y, ends[k - 1].y + step(ends[k]));
  double lowest = map.area.bottom();
  for (std::size_t k = ends.size(); k-- > 0;) {
    ends[k].y = std::min(ends[k].y, lowest);
    lowest = ends[k].y - step(ends[k]);
  }
  for (const auto& end : ends) {
    const auto& line = plan.labels[end.place];
    out.items.owner.index = static_cast<int>(plan.layers[end.place]);
    put_text(out, line, {map.area.right() + beside + kBeside, end.y + line.ascent * 0.36},
             looks[plan.layers[end.place]].color, "legend");
  }
  out.items.owner.index = -1;
}

}  // namespace quill
