#include "figure/space.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <utility>

#include "base/interrupt.h"
#include "figure/axes.h"
#include "figure/scene.h"

namespace quill {

namespace {

// In the box: -1 … 1 along x and y, less along z, which is the vertical.
struct Spot {
  double x = 0, y = 0, z = 0;
};

constexpr double kHeight = 0.68;  // of the box, half

struct Camera {
  double cos_turn, sin_turn, cos_tilt, sin_tilt;
  double scale = 1;
  Point middle{};
  Camera(double turn, double tilt)
      : cos_turn(std::cos(radians(turn))),
        sin_turn(std::sin(radians(turn))),
        cos_tilt(std::cos(radians(tilt))),
        sin_tilt(std::sin(radians(tilt))) {}
  static double radians(double degrees) { return std::remainder(degrees, 360) * std::numbers::pi / 180; }
  Point flat(const Spot& p) const {
    const double across = p.x * cos_turn - p.y * sin_turn, away = p.x * sin_turn + p.y * cos_turn;
    return {across, -(p.z * cos_tilt + away * sin_tilt)};
  }
  Point operator()(const Spot& p) const {
    const auto f = flat(p);
    return {middle.x + scale * f.x, middle.y + scale * f.y};
  }
  // How far behind the middle.
  double depth(const Spot& p) const { return (p.x * sin_turn + p.y * cos_turn) * cos_tilt - p.z * sin_tilt; }
};

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
    draw_walls();
    for (std::size_t k = 0; k < panel_.layers.size(); ++k) collect(panel_.layers[k], looks_[k].color);
    scene_.draw(*out_);
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
    axis.title = text.line(with_context(title, axis.plan), {theme_.axis_title_size});
  }

  Spot spot(double x, double y, double z) const {
    return {2 * axes_[0].plan.scale.share(x) - 1, 2 * axes_[1].plan.scale.share(y) - 1,
            kHeight * (2 * axes_[2].plan.scale.share(z) - 1)};
  }

  // The corners of the box as the camera sees them, at scale 1 around the origin.
  Rect flat_box() const {
    double low_x = INFINITY, high_x = -INFINITY, low_y = INFINITY, high_y = -INFINITY;
    for (const double x : {-1, 1})
      for (const double y : {-1, 1})
        for (const double z : {-kHeight, kHeight}) {
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
    floor_ = panel_.tilt >= 0 ? -kHeight : kHeight;
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
    return {k == 0 ? along : x, k == 1 ? along : y, k == 2 ? kHeight * along : z};
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
          line(lines, on_axis(0, s, 0, c, -kHeight), on_axis(0, s, 0, c, kHeight));
        } else if (k == 1) {
          line(lines, on_axis(1, s, -1, 0, f), on_axis(1, s, 1, 0, f));
          line(lines, on_axis(1, s, b, 0, -kHeight), on_axis(1, s, b, 0, kHeight));
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
    line(edges, {b, c, -kHeight}, {b, c, kHeight});
    line(edges, {-b, c, -kHeight}, {-b, c, kHeight});
    line(edges, {b, -c, -kHeight}, {b, -c, kHeight});
    line(edges, {-b, c, -f}, {b, c, -f});
    line(edges, {b, -c, -f}, {b, c, -f});
    out_->items.emplace_back(std::move(edges));
  }

  // -- what is in the box, sorted by depth

  void collect(const Layer& layer, const Color& color) {
    if (layer.kind == Layer::Kind::surface || layer.kind == Layer::Kind::wireframe)
      collect_grid(layer, color);
    else if (layer.is_spatial())
      collect_curve(layer, color);
  }

  void collect_grid(const Layer& layer, const Color& color) {
    const auto columns = layer.x.size(), rows = layer.y.size();
    const auto scale = color_scale(layer, panel_);
    const bool is_wire = layer.kind == Layer::Kind::wireframe;
    auto mesh = theme_.ink;
    mesh.alpha = 0.45;
    std::vector<Spot> spots(rows * columns);
    for (std::size_t r = 0; r < rows; ++r)
      for (std::size_t c = 0; c < columns; ++c) {
        const double z = layer.z[r * columns + c];
        const bool inside = z >= axes_[2].plan.scale.limits.low && z <= axes_[2].plan.scale.limits.high;
        spots[r * columns + c] = spot(layer.x[c], layer.y[r], inside ? z : NAN);
      }
    if (rows < 2 || columns < 2) return;
    // Light from the upper left in front of the page.
    const Spot light = {-0.45 * camera_.cos_turn - 0.35 * camera_.sin_turn,
                        0.45 * camera_.sin_turn - 0.35 * camera_.cos_turn, 0.82};
    for (std::size_t r = 0; r + 1 < rows; ++r) {
      poll_interrupt();
      for (std::size_t c = 0; c + 1 < columns; ++c) {
        const std::size_t at[] = {r * columns + c, r * columns + c + 1, (r + 1) * columns + c + 1,
                                  (r + 1) * columns + c};
        const Spot &p = spots[at[0]], &q = spots[at[1]], &s = spots[at[2]], &t = spots[at[3]];
        const double sum = p.z + q.z + s.z + t.z;
        // Outside of the limits, or without a place on a logarithmic axis.
        if (!std::isfinite(sum) || !std::isfinite(p.x + p.y + s.x + s.y)) continue;
        const Spot middle{(p.x + s.x) / 2, (p.y + s.y) / 2, sum / 4};
        Color shade = theme_.paper;
        if (!is_wire) {
          const double value = (layer.z[at[0]] + layer.z[at[1]] + layer.z[at[2]] + layer.z[at[3]]) / 4;
          shade = layer.is_coloured_by_value() ? scale.at(value) : color;
          const Spot u{s.x - p.x, s.y - p.y, s.z - p.z}, v{t.x - q.x, t.y - q.y, t.z - q.z};
          const Spot n{u.y * v.z - u.z * v.y, u.z * v.x - u.x * v.z, u.x * v.y - u.y * v.x};
          const double size = std::sqrt(n.x * n.x + n.y * n.y + n.z * n.z);
          const double lit = size > 0 ? std::fabs(n.x * light.x + n.y * light.y + n.z * light.z) / size : 1;
          const double factor = 0.68 + 0.36 * lit;
          shade.red = std::min(1.0, shade.red * factor);
          shade.green = std::min(1.0, shade.green * factor);
          shade.blue = std::min(1.0, shade.blue * factor);
          shade.alpha *= layer.opacity;
        }
        scene_.add(camera_.depth(middle), Scene::Quad{{camera_(p), camera_(q), camera_(s), camera_(t)},
                                                      shade,
                                                      is_wire      ? layer.width * 0.6
                                                      : layer.mesh ? 0.35
                                                                   : 0,
                                                      is_wire ? color : mesh});
      }
    }
  }

  void collect_curve(const Layer& layer, const Color& color) {
    std::vector<Spot> spots;
    for (std::size_t k = 0; k < layer.z.size(); ++k)
      spots.push_back(spot(layer.x[k], layer.y[k], layer.z[k]));
    const auto finite = [](const Spot& p) { return std::isfinite(p.x + p.y + p.z); };
    if (layer.kind == Layer::Kind::line)
      for (std::size_t k = 1; k < spots.size(); ++k) {
        if (!finite(spots[k]) || !finite(spots[k - 1])) continue;
        // A little nearer than a surface on which it lies.
        constexpr double lift = 0.02;
        scene_.add((camera_.depth(spots[k]) + camera_.depth(spots[k - 1])) / 2 - lift,
                   Scene::Segment{camera_(spots[k - 1]), camera_(spots[k]), color,
                                  layer.width * theme_.line_factor, layer.dash.value_or(Dash::solid)});
      }
    const bool always = layer.kind == Layer::Kind::scatter && layer.marker == Marker::none;
    const auto shape = always ? Marker::disc : layer.marker;
    const auto scale = color_scale(layer, panel_);
    for (std::size_t k = 0; shape != Marker::none && k < spots.size(); ++k) {
      poll_interrupt_at(k);
      if (!finite(spots[k])) continue;
      const double depth = camera_.depth(spots[k]);
      // Points that lie behind are smaller and paler.
      const double near = std::clamp(0.5 - depth / 2.6, 0.0, 1.0);
      auto faded = color;
      if (!layer.values.empty()) {
        if (!std::isfinite(layer.values[k])) continue;
        faded = scale.at(layer.values[k]);
        faded.alpha *= layer.opacity;
      }
      faded.alpha *= 0.55 + 0.45 * near;
      scene_.add(depth - 0.03, Markers{{camera_(spots[k])},
                                       shape,
                                       layer.size * theme_.line_factor * (0.75 + 0.4 * near),
                                       faded,
                                       theme_.paper,
                                       {}});
    }
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
  double back_x_ = 1, back_y_ = 1, floor_ = -kHeight;
  Scene scene_;
  std::vector<Rect> taken_;  // by labels
};

}  // namespace

void draw_space(const PanelPlan& plan, const std::vector<Look>& looks, const Theme& theme, TextLayer& text,
                DisplayList& out) {
  Space(plan, looks, theme, text, out).draw();
}

}  // namespace quill
