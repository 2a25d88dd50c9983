#include "render/narrow.h"

#include <algorithm>

namespace quill {

namespace {

constexpr double kNarrowWidth = 84, kPanelHeight = 62, kPlacedHeight = 66;  // millimetres

}  // namespace

std::optional<Figure> narrow_figure(const Figure& figure, const DisplayList& list) {
  if (figure.width <= kNarrowWidth) return std::nullopt;
  auto out = figure;
  out.width = kNarrowWidth;
  out.text_scale = 1;
  // All axes have their labels, and the limits that they have beside each other.
  out.link_x = out.link_y = Link::none;
  std::vector<std::size_t> order;
  for (std::size_t k = 0; k < out.panels.size(); ++k) {
    auto& panel = out.panels[k];
    const auto& info = list.panels[k];
    panel.legend.reset();
    if (!panel.is_spatial()) {
      panel.x.limits = info.x;
      panel.y.limits = info.y;
      if (info.has_right) panel.right.limits = info.right_axis.scale.limits;
    }
    if (!panel.place) order.push_back(k);
  }
  // Panels placed by fractions are not moved: they may be nested.
  if (order.size() < out.panels.size()) {
    out.height = std::max(kPlacedHeight, figure.height * kNarrowWidth / figure.width);
    return order.empty() || out.rows * out.columns == 1 ? std::optional(out) : std::nullopt;
  }
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
    const auto &p = out.panels[a], &q = out.panels[b];
    return p.row != q.row ? p.row < q.row : p.column < q.column;
  });
  out.columns = 1;
  out.row_shares.clear();
  out.column_shares.clear();
  out.rows = std::max(1, static_cast<int>(order.size()));
  for (std::size_t k = 0; k < order.size(); ++k) {
    auto& panel = out.panels[order[k]];
    panel.row = static_cast<int>(k) + 1;
    panel.column = panel.rows = panel.columns = 1;
  }
  out.height = kPanelHeight * out.rows;
  return out;
}

}  // namespace quill
