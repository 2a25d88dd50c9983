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
    const Font font{theme_.axis_title_size};
    axis.title = text.line(
        title_within(title, axis.plan, font, 0.95 * (k == 2 ? area_.height : area_.width), text), font);
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

  // Room for labels on the four sides of the box.
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

  // Makes the box as large as possible; the room for labels depends on its position.
  void place() {
    // The rear faces.
    back_x_ = camera_.depth({1, 0, 0}) > 0 ? 1 : -1;
    back_y_ = camera_.depth({0, 1, 0}) > 0 ? 1 : -1;
    floor_ = panel_.tilt >= 0 ? -kBoxHeight : kBoxHeight;
    const auto flat = flat_box();
    constexpr double pad = 3;
    Margins m{30, 4, 30, 30};
    constexpr int rounds = 10;
    for (int round = 0; round < rounds; ++round) {
      const double width = std::max(20.0, area_.width - m.left - m.right - 2 * pad),
                   height = std::max(20.0, area_.height - m.top - m.bottom - 2 * pad);
      camera_.scale = std::min(width / flat.width, height / flat.height);
      camera_.middle = {
          area_.x + pad + m.left + (width - camera_.scale * flat.width) / 2 - camera_.scale * flat.x,
          area_.y + pad + m.top + (height - camera_.scale * flat.height) / 2 - camera_.scale * flat.y};
      const auto needed = measured_labels(flat);
      constexpr double slack = 0.05;
      if (round > 0 && needed.left <= m.left + slack && needed.top <= m.top + slack &&
          needed.right <= m.right + slack && needed.bottom <= m.bottom + slack)
        return;
      // The first guess may be too much; then they only grow, so that they converge.
      if (round < 3)
        m = needed;
      else
        m = {std::max(m.left, needed.left), std::max(m.top, needed.top), std::max(m.right, needed.right),
             std::max(m.bottom, needed.bottom)};
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

  // An edge of the box with an axis along it.
  struct Edge {
    Point from, to;
    double length;
    Point out_way;     // at a right angle, on the side that leads out of the box
    double reach = 0;  // of the tick labels
    Point middle() const { return {(from.x + to.x) / 2, (from.y + to.y) / 2}; }
  };
  Edge edge_of(int k, double x, double y, double z) const {
    Edge e{camera_(on_axis(k, 0, x, y, z)), camera_(on_axis(k, 1, x, y, z)), 0, {}};
    e.length = std::max(1e-9, std::hypot(e.to.x - e.from.x, e.to.y - e.from.y));
    e.out_way = {-(e.to.y - e.from.y) / e.length, (e.to.x - e.from.x) / e.length};
    const auto middle = camera_({0, 0, 0}), half = e.middle();
    if ((half.x - middle.x) * e.out_way.x + (half.y - middle.y) * e.out_way.y < 0)
      e.out_way = {-e.out_way.x, -e.out_way.y};
    return e;
  }

  bool is_taken(const Rect& box) const {
    return std::any_of(taken_.begin(), taken_.end(), [&](const Rect& other) { return other.overlaps(box); });
  }

  // Ticks and their labels along an edge, pushed away from the middle of the box.
  void label_ticks(int k, Edge& e, const char* role) {
    const auto& axis = axes_[k];
    StrokePath ticks{{}, theme_.soft, theme_.axis_width * 0.8};
    double last = -1e9;
    for (std::size_t i = 0; i < axis.plan.ticks.positions.size(); ++i) {
      const double share = axis.plan.scale.share(axis.plan.ticks.positions[i]);
      const Point p{e.from.x + share * (e.to.x - e.from.x), e.from.y + share * (e.to.y - e.from.y)};
      ticks.pieces.push_back({p, {p.x + e.out_way.x * 3, p.y + e.out_way.y * 3}});
      const auto& label = axis.plan.labels[i];
      const double clear =
          std::fabs(e.out_way.x) * label.width / 2 + std::fabs(e.out_way.y) * label.height() / 2;
      e.reach = std::max(e.reach, 2 * clear);
      // Labels that would run into the one before are left out.
      const double needed =
          std::min(label.width / std::max(1e-9, std::fabs(e.to.x - e.from.x) / e.length),
                   label.height() / std::max(1e-9, std::fabs(e.to.y - e.from.y) / e.length));
      const double along = share * e.length;
      const Point at{p.x + e.out_way.x * (kTick + clear), p.y + e.out_way.y * (kTick + clear)};
      const Rect box{at.x - label.width / 2 - 1, at.y - label.height() / 2, label.width + 2, label.height()};
      if (std::fabs(along - last) < needed + 2 || is_taken(box)) continue;
      last = along;
      taken_.push_back(box);
      put(label, at, theme_.soft, role);
    }
    out_->items.emplace_back(std::move(ticks));
  }

  // A title beside the middle of its edge, moved outwards until it touches no label. Horizontal, except along
  // the vertical axis.
  void label_title(int k, const Edge& e, const char* role) {
    const auto& title = axes_[k].title;
    if (title.width == 0) return;
    const bool is_upright = k == 2;
    const double width = is_upright ? title.height() : title.width,
                 height = is_upright ? title.width : title.height();
    const double clear =
        is_upright ? width / 2 : std::fabs(e.out_way.x) * width / 2 + std::fabs(e.out_way.y) * height / 2;
    const auto half = e.middle();
    Rect box;
    const double start = kTick + e.reach + (is_upright ? 4 : 3) + clear;
    // Away from its edge, then around obstacles.
    for (double push = start, beyond = 0;; push < start + kSideways ? push += kPush : beyond += kPush) {
      const double away = is_upright ? (e.out_way.x < 0 ? -push : push) : e.out_way.x * push;
      const double down = is_upright ? 0 : e.out_way.y * push + (e.out_way.y < 0 ? -beyond : beyond);
      box = {half.x + away - width / 2, half.y + down - height / 2, width, height};
      // Long ones are not centred where that would lead off the page.
      box.x = std::clamp(box.x, area_.x, std::max(area_.x, area_.right() - width));
      if (is_upright) box.y = std::clamp(box.y, area_.y, std::max(area_.y, area_.bottom() - height));
      if (!is_taken({box.x - 1, box.y, box.width + 2, box.height}) || beyond > kFarthest) break;
    }
    taken_.push_back(box);
    if (is_upright)
      put_text(*out_, title, {box.x + title.ascent, box.bottom()}, theme_.ink, role, std::numbers::pi / 2);
    else
      put_text(*out_, title, {box.x, box.y + title.ascent}, theme_.ink, role);
  }

  void draw_labels() {
    // The upright edge farthest to the left.
    double x = -1, y = -1, leftmost = INFINITY;
    for (const double i : {-1.0, 1.0})
      for (const double j : {-1.0, 1.0})
        if (const double at = camera_.flat({i, j, 0}).x; at < leftmost) {
          leftmost = at;
          x = i;
          y = j;
        }
    Edge edges[] = {edge_of(0, 0, -back_y_, floor_), edge_of(1, -back_x_, 0, floor_), edge_of(2, x, y, 0)};
    constexpr const char* ticks[] = {"x tick", "y tick", "z tick"};
    constexpr const char* titles[] = {"x title", "y title", "z title"};
    for (int k = 0; k < 3; ++k) label_ticks(k, edges[k], ticks[k]);
    // That of the upright axis first: it cannot be pushed past a level one.
    for (const int k : {2, 0, 1}) label_title(k, edges[k], titles[k]);
  }

  static constexpr double kPush = 2, kSideways = 50, kFarthest = 300;  // of titles
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
