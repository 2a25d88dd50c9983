#include "figure/space.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <utility>

#include "figure/axes.h"
#include "figure/layers/layer_kind.h"

namespace quill {

namespace {

struct SpaceAxis {
  AxisPlan plan;
  TextLine title;
};

class Space {
 public:
  Space(const PanelPlan& plan, const std::vector<Look>& looks, const Theme& theme, TextLayer& text,
        DisplayList& out)
      : panel_(*plan.panel),
        looks_(looks),
        area_(plan.area),
        theme_(theme),
        out_(&out),
        camera_(panel_.turn, panel_.tilt) {
    make_axis(0, plan.x, panel_.x, plan.x_title, text);
    make_axis(1, plan.y, panel_.y, plan.y_title, text);
    make_axis(2, plan.z, panel_.z, plan.z_title, text);
    place();
  }

  void draw() {
    auto& told = out_->panels[static_cast<std::size_t>(out_->items.owner.panel)];
    told.middle = camera_.middle;
    told.box_scale = camera_.scale;
    out_->items.owner.part = Part::grid;
    draw_walls();
    out_->items.owner.part = Part::data;
    const SpaceView view{camera_, axes_[0].plan.scale, axes_[1].plan.scale, axes_[2].plan.scale};
    Scene scene;
    for (std::size_t k = 0; k < panel_.layers.size(); ++k) {
      const auto& layer = panel_.layers[k];
      if (!layer.is_spatial()) continue;
      scene.layer = static_cast<int>(k);
      InSpace space{layer, looks_[k], panel_, theme_, view, scene};
      row_of(layer.kind).draw_in_space(space);
    }
    scene.draw(*out_);
    out_->items.owner.part = Part::axis;
    draw_labels();
  }

 private:
  // -- axes

  void make_axis(int k, const AxisPlan& plan, const Axis& asked, const std::string& title, TextLayer& text) {
    constexpr double ticks = 5;
    auto& axis = axes_[k];
    axis.plan = plan;
    set_ticks(axis.plan, asked, ticks);
    for (const auto& label : axis.plan.ticks.labels)
      axis.plan.labels.push_back(text.line(label, {asked.size.value_or(theme_.tick_size)}));
    axis.title = text.line(with_common(with_context(title, axis.plan), axis.plan), {theme_.axis_title_size});
  }

  // The corners of the box as the camera sees them, at scale 1 around the origin.
  Rect flat_box() const {
    double low_x = INFINITY, high_x = -INFINITY, low_y = INFINITY, high_y = -INFINITY;
    for (const double x : {-1, 1})
      for (const double y : {-1, 1})
        for (const double z : {-kBoxHeight, kBoxHeight}) {
          const auto p = camera_.flat({x, y, z});
          low_x = std::min(low_x, p.x);
          high_x = std::max(high_x, p.x);
          low_y = std::min(low_y, p.y);
          high_y = std::max(high_y, p.y);
        }
    return {low_x, low_y, high_x - low_x, high_y - low_y};
  }

  // What the labels take around the box: at its left, above, at its right and below.
  struct Margins {
    double left = 0, top = 0, right = 0, bottom = 0;
  };
  Margins measured_labels(const Rect& flat) {
    DisplayList labels;
    auto* const out = std::exchange(out_, &labels);
    draw_labels();
    taken_.clear();
    out_ = out;
    const Rect box{camera_.middle.x + camera_.scale * flat.x, camera_.middle.y + camera_.scale * flat.y,
                   camera_.scale * flat.width, camera_.scale * flat.height};
    Margins m;
    for (const auto& item : labels.items) {
      const auto* text = std::get_if<DrawnText>(&item);
      if (!text) continue;
      const auto around = text->box();
      m.left = std::max(m.left, box.x - around.x);
      m.top = std::max(m.top, box.y - around.y);
      m.right = std::max(m.right, around.right() - box.right());
      m.bottom = std::max(m.bottom, around.bottom() - box.bottom());
    }
    return m;
  }

  // The box as large as the area lets it be with its labels, whose room depends on where the box stands.
  void place() {
    // The sides that lie behind.
    back_x_ = camera_.depth({1, 0, 0}) > 0 ? 1 : -1;
    back_y_ = camera_.depth({0, 1, 0}) > 0 ? 1 : -1;
    floor_ = panel_.tilt >= 0 ? -kBoxHeight : kBoxHeight;
    const auto flat = flat_box();
    constexpr double pad = 3;
    Margins m{30, 4, 30, 30};
    for (int round = 0; round < 4; ++round) {
      const double width = std::max(20.0, area_.width - m.left - m.right - 2 * pad),
                   height = std::max(20.0, area_.height - m.top - m.bottom - 2 * pad);
      camera_.scale = std::min(width / flat.width, height / flat.height);
      camera_.middle = {
          area_.x + pad + m.left + (width - camera_.scale * flat.width) / 2 - camera_.scale * flat.x,
          area_.y + pad + m.top + (height - camera_.scale * flat.height) / 2 - camera_.scale * flat.y};
      if (round < 3) m = measured_labels(flat);
    }
  }

  Spot on_axis(int k, double share, double x, double y, double z) const {
    const double along = 2 * share - 1;
    return {k == 0 ? along : x, k == 1 ? along : y, k == 2 ? kBoxHeight * along : z};
  }

  // -- walls

  void draw_walls() {
    auto wall = theme_.grid;
    wall.alpha = 0.35;
    const double b = back_x_, c = back_y_, f = floor_;
    FillPath walls{{}, wall};
    const auto face = [&](std::array<Spot, 4> corners) {
      std::vector<Point> piece;
      for (const auto& p : corners) piece.push_back(camera_(p));
      walls.pieces.push_back(std::move(piece));
    };
    face({Spot{-1, -1, f}, {1, -1, f}, {1, 1, f}, {-1, 1, f}});
    out_->items.emplace_back(std::move(walls));
    StrokePath lines{{}, theme_.grid, theme_.grid_width};
    const auto line = [&](StrokePath& path, const Spot& from, const Spot& to) {
      path.pieces.push_back({camera_(from), camera_(to)});
    };
    for (int k = 0; k < 3; ++k)
      for (const double t : axes_[k].plan.ticks.positions) {
        const double s = axes_[k].plan.scale.share(t);
        if (k == 0) {
          line(lines, on_axis(0, s, 0, -1, f), on_axis(0, s, 0, 1, f));
          line(lines, on_axis(0, s, 0, c, -kBoxHeight), on_axis(0, s, 0, c, kBoxHeight));
        } else if (k == 1) {
          line(lines, on_axis(1, s, -1, 0, f), on_axis(1, s, 1, 0, f));
          line(lines, on_axis(1, s, b, 0, -kBoxHeight), on_axis(1, s, b, 0, kBoxHeight));
        } else {
          line(lines, on_axis(2, s, -1, c, 0), on_axis(2, s, 1, c, 0));
          line(lines, on_axis(2, s, b, -1, 0), on_axis(2, s, b, 1, 0));
        }
      }
    out_->items.emplace_back(std::move(lines));
    StrokePath edges{{}, theme_.soft, theme_.axis_width * 0.8};
    line(edges, {-1, -1, f}, {1, -1, f});
    line(edges, {1, -1, f}, {1, 1, f});
    line(edges, {1, 1, f}, {-1, 1, f});
    line(edges, {-1, 1, f}, {-1, -1, f});
    line(edges, {b, c, -kBoxHeight}, {b, c, kBoxHeight});
    line(edges, {-b, c, -kBoxHeight}, {-b, c, kBoxHeight});
    line(edges, {b, -c, -kBoxHeight}, {b, -c, kBoxHeight});
    line(edges, {-b, c, -f}, {b, c, -f});
    line(edges, {b, -c, -f}, {b, c, -f});
    out_->items.emplace_back(std::move(edges));
  }

  // -- labels

  void put(const TextLine& line, Point middle, const Color& color, const char* role) {
    put_text(*out_, line, {middle.x - line.width / 2, middle.y + line.ascent * 0.37}, color, role);
  }

  // Ticks and labels along an edge, pushed away from the middle of the box.
  void label_axis(int k, double x, double y, double z, const char* tick_role, const char* title_role) {
    const auto& axis = axes_[k];
    const auto from = camera_(on_axis(k, 0, x, y, z)), to = camera_(on_axis(k, 1, x, y, z));
    // Away from the axis, at a right angle, on the side that leads out of the box.
    const double length = std::max(1e-9, std::hypot(to.x - from.x, to.y - from.y));
    Point out_way{-(to.y - from.y) / length, (to.x - from.x) / length};
    const auto middle = camera_({0, 0, 0});
    const Point half{(from.x + to.x) / 2, (from.y + to.y) / 2};
    if ((half.x - middle.x) * out_way.x + (half.y - middle.y) * out_way.y < 0)
      out_way = {-out_way.x, -out_way.y};
    StrokePath ticks{{}, theme_.soft, theme_.axis_width * 0.8};
    double reach = 0, last = -1e9;
    for (std::size_t i = 0; i < axis.plan.ticks.positions.size(); ++i) {
      const double share = axis.plan.scale.share(axis.plan.ticks.positions[i]);
      const auto p = camera_(on_axis(k, share, x, y, z));
      ticks.pieces.push_back({p, {p.x + out_way.x * 3, p.y + out_way.y * 3}});
      const auto& label = axis.plan.labels[i];
      const double clear = std::fabs(out_way.x) * label.width / 2 + std::fabs(out_way.y) * label.height() / 2;
      reach = std::max(reach, 2 * clear);
      // Labels that would run into the one before are left out.
      const double needed = std::min(label.width / std::max(1e-9, std::fabs(to.x - from.x) / length),
                                     label.height() / std::max(1e-9, std::fabs(to.y - from.y) / length));
      const double along = share * length;
      const Point at{p.x + out_way.x * (kTick + clear), p.y + out_way.y * (kTick + clear)};
      const Rect box{at.x - label.width / 2 - 1, at.y - label.height() / 2, label.width + 2, label.height()};
      const bool meets =
          std::any_of(taken_.begin(), taken_.end(), [&](const Rect& other) { return other.overlaps(box); });
      if (std::fabs(along - last) < needed + 2 || meets) continue;
      last = along;
      taken_.push_back(box);
      put(label, at, theme_.soft, tick_role);
    }
    out_->items.emplace_back(std::move(ticks));
    if (axis.title.width == 0) return;
    // The title runs along the axis when that is steep, and lies level otherwise.
    if (k == 2) {
      const double push = kTick + reach + 4 + axis.title.descent, edge = half.x + out_way.x * push;
      put_text(*out_, axis.title,
               {out_way.x < 0 ? edge : edge + axis.title.ascent, half.y + axis.title.width / 2}, theme_.ink,
               title_role, std::numbers::pi / 2);
      return;
    }
    const double clear =
        std::fabs(out_way.x) * axis.title.width / 2 + std::fabs(out_way.y) * axis.title.height() / 2;
    const double push = kTick + reach + 3 + clear;
    const Point at{half.x + out_way.x * push, half.y + out_way.y * push};
    put(axis.title, at, theme_.ink, title_role);
  }

  void draw_labels() {
    label_axis(0, 0, -back_y_, floor_, "x tick", "x title");
    label_axis(1, -back_x_, 0, floor_, "y tick", "y title");
    // The upright edge farthest to the left.
    double x = -1, y = -1, leftmost = INFINITY;
    for (const double i : {-1.0, 1.0})
      for (const double j : {-1.0, 1.0})
        if (const double at = camera_.flat({i, j, 0}).x; at < leftmost) {
          leftmost = at;
          x = i;
          y = j;
        }
    label_axis(2, x, y, 0, "z tick", "z title");
  }

  static constexpr double kTick = 6;
  const Panel& panel_;
  const std::vector<Look>& looks_;
  Rect area_;
  const Theme& theme_;
  DisplayList* out_;
  Camera camera_;
  SpaceAxis axes_[3];
  double back_x_ = 1, back_y_ = 1, floor_ = -kBoxHeight;
  std::vector<Rect> taken_;  // by labels
};

}  // namespace

void draw_space(const PanelPlan& plan, const std::vector<Look>& looks, const Theme& theme, TextLayer& text,
                DisplayList& out) {
  Space(plan, looks, theme, text, out).draw();
}

}  // namespace quill
