#include "render/page_model.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>
#include <optional>
#include <set>

#include "base/interrupt.h"
#include "base/text.h"
#include "figure/axes.h"
#include "figure/contour.h"
#include "figure/describe.h"
#include "figure/draw.h"
#include "figure/panel_plan.h"
#include "render/page_data.h"
#include "render/page_numbers.h"

namespace quill {

namespace {

using Json = nlohmann::ordered_json;

Json numbers_of(const Rect& r) { return {r.x, r.y, r.width, r.height}; }

Json json_of(const TextLine& line) {
  Json runs = Json::array(), strokes = Json::array();
  for (const auto& run : line.runs)
    runs.push_back({printable(run.text), run.x, run.rise, run.font.size,
                    (run.font.bold ? 1 : 0) + (run.font.italic ? 2 : 0) +
                        (run.font.family == Font::Family::math ? 4 : 0)});
  for (const auto& stroke : line.strokes) strokes.push_back({stroke.width, stroke.points});
  Json out = {{"w", line.width}, {"a", line.ascent}, {"d", line.descent}, {"runs", runs}};
  if (!strokes.empty()) out["strokes"] = strokes;
  return out;
}

constexpr const char* kScales[] = {"linear", "log", "signed_log", "time"};
constexpr const char* kMarkers[] = {"none", "disc", "ring", "square", "diamond", "triangle", "cross", "plus"};
constexpr const char* kHolds[] = {"", "around", "before", "after"};
constexpr const char* kDashes[] = {"solid", "dashed", "dotted", "dash_dot"};

class PageModel {
 public:
  PageModel(const Figure& figure, const DisplayList& list, PangoText& text, EmbeddedFonts& fonts)
      : figure_(figure),
        list_(list),
        theme_(theme_of(figure)),
        text_(text),
        fonts_(fonts),
        lines_(text, warnings_) {}

  std::string run() {
    Json model = {{"version", 1},
                  {"name", printable(figure_.name)},
                  {"title", plain(figure_.title)},
                  {"description", description_of(figure_)},
                  {"width", list_.width},
                  {"height", list_.height},
                  {"dpi", figure_.dpi}};
    model["theme"] = theme();
    model["texts"] = characters();
    pack();
    Json panels = Json::array();
    for (std::size_t k = 0; k < figure_.panels.size(); ++k) panels.push_back(panel(k));
    model["panels"] = panels;
    model["palettes"] = palettes_;
    if (!told_.empty()) model["left_out"] = told_;
    model["budget"] = figure_.page_budget;
    return written(model);
  }

  // The layers of all panels, their drawing order and the palettes that they need.
  Json run_layers() {
    pack();
    Json panels = Json::array(), orders = Json::array();
    for (std::size_t k = 0; k < figure_.panels.size(); ++k) {
      panels.push_back(layers_of(k));
      orders.push_back(order_of(figure_.panels[k]));
    }
    return {{"layers", panels}, {"orders", orders}, {"palettes", palettes_}};
  }

  std::string run_layout() {
    Json panels = Json::array();
    for (std::size_t k = 0; k < figure_.panels.size(); ++k) panels.push_back(layout_of(k));
    return written({{"width", list_.width}, {"height", list_.height}, {"panels", panels}});
  }

  static std::string written(const Json& model) {
    const auto text = model.dump(-1, ' ', false, Json::error_handler_t::replace);
    std::string out;
    for (const char c : text) c == '<' ? out += "\\u003c" : out += c;
    return out;
  }

 private:
  std::string plain(const std::string& text) { return printable(lines_.line(text, {1}).plain()); }

  Json theme() const {
    return {{"name", figure_.theme},
            {"paper", css_of(theme_.paper)},
            {"ink", css_of(theme_.ink)},
            {"soft", css_of(theme_.soft)},
            {"grid", css_of(theme_.grid)},
            {"dark", to_oklab(theme_.paper).lightness < 0.5},
            {"axis_width", theme_.axis_width},
            {"grid_width", theme_.grid_width},
            {"tick_length", theme_.tick_length},
            {"tick_size", theme_.tick_size},
            {"axis_title_size", theme_.axis_title_size},
            {"legend_size", theme_.legend_size},
            {"line_factor", theme_.line_factor}};
  }

  // Widths of the characters of numbers and dates at size 1, and the layout of powers.
  Json characters() {
    constexpr double size = 100;
    const auto widths = [&](const char* all, const Font& font) {
      Json out = Json::object();
      const std::string text(all);
      for (std::size_t i = 0; i < text.size();) {
        const auto length = static_cast<std::size_t>(decode(text, i).length);
        const auto one = text.substr(i, length);
        out[one] = text_.measure(one, font).width / size;
        i += length;
      }
      fonts_.add(text, font);
      return out;
    };
    const Font plain_font{size};
    const char* const letters =
        "0123456789−+-.,:;×–/%=() ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz…·'\"°²³µ";
    const auto one = text_.measure("0", plain_font);
    Json out = {{"plain", widths(letters, plain_font)},
                {"math", widths("0123456789−×", {size, false, false, Font::Family::math})},
                {"ascent", one.ascent / size},
                {"descent", one.descent / size}};
    // Positions of the pieces of 2×10³ by the formula engine.
    const auto power = lay_text("$2\\times10^{3}$", plain_font, text_);
    Json runs = Json::array();
    for (const auto& run : power.runs)
      runs.push_back({run.text, run.x / size, run.rise / size, run.font.size / size, run.width / size});
    out["power"] = runs;
    const auto single = lay_text("$\\times10^{3}$", plain_font, text_);
    runs.clear();
    for (const auto& run : single.runs)
      runs.push_back({run.text, run.x / size, run.rise / size, run.font.size / size, run.width / size});
    out["times"] = runs;
    out["power_ascent"] = power.ascent / size;
    out["power_descent"] = power.descent / size;
    return out;
  }

  // -- axes

  Json axis(const Axis& asked, const DisplayList::PanelArea::AxisInfo& info, const Font& font) {
    Json out = {{"kind", kScales[static_cast<int>(info.scale.kind)]},
                {"low", info.scale.limits.low},
                {"high", info.scale.limits.high}};
    if (info.scale.reverse) out["reverse"] = true;
    if (info.is_count) out["count"] = true;
    if (!info.labels_shown) out["hidden"] = true;
    if (asked.minor) out["minor"] = true;
    if (asked.at) out["at"] = *asked.at;
    if (asked.size) out["size"] = *asked.size;
    if (asked.label_box) out["label_box"] = true;
    if (!asked.format.empty()) out["format"] = asked.format;
    if (asked.limits) out["fixed"] = true;
    if (!asked.names.empty()) {
      Json names = Json::array();
      for (const auto& name : asked.names) names.push_back(plain(name));
      out["names"] = names;
    }
    if (!info.title.empty()) {
      out["title"] = plain(info.title);
      if (info.scale.kind == ScaleKind::time)
        out["title_line"] = json_of(lines_.line(info.title, {theme_.axis_title_size}));
    }
    if (asked.ticks) {
      out["ticks"] = *asked.ticks;
      Json labels = Json::array();
      for (std::size_t k = 0; k < asked.tick_labels.size() && k < asked.ticks->size(); ++k) {
        labels.push_back(json_of(kept(lines_.line(asked.tick_labels[k], font))));
      }
      if (!labels.empty()) out["labels"] = labels;
    }
    if (info.is_slanted) out["slanted"] = true;
    if (!info.broken.empty()) {
      Json broken = Json::array();
      for (const auto& lines : info.broken) {
        broken.push_back(Json::array());
        for (const auto& line : lines) broken.back().push_back(json_of(kept(line)));
      }
      out["broken"] = broken;
    }
    return out;
  }

  const TextLine& kept(const TextLine& line) {
    for (const auto& run : line.runs) fonts_.add(run.text, run.font);
    return line;
  }
  TextLine kept(TextLine&& line) {
    kept(static_cast<const TextLine&>(line));
    return std::move(line);
  }

  // `room`: for the title.
  Json space_axis(const Axis& asked, const DisplayList::PanelArea::AxisInfo& info, double room) {
    AxisPlan plan;
    plan.scale = info.scale;
    plan.is_count = info.is_count;
    constexpr double ticks = 5;
    set_ticks(plan, asked, ticks);
    auto out = axis(asked, info, {asked.size.value_or(theme_.tick_size)});
    Json labels = Json::array();
    for (const auto& label : plan.ticks.labels)
      labels.push_back(json_of(kept(lines_.line(label, {asked.size.value_or(theme_.tick_size)}))));
    out["ticks"] = plan.ticks.positions;
    out["labels"] = labels;
    const Font font{theme_.axis_title_size};
    const auto title = lines_.line(title_within(info.title, plan, font, 0.95 * room, lines_), font);
    if (title.width > 0) out["title_line"] = json_of(kept(title));
    return out;
  }

  // -- data

  void pack() {
    packed_ = packed_layers(figure_);
    for (const auto& p : packed_)
      if (p.share < 1)
        told_.push_back(
            fmt::format("{}{}: {}", name_of(p.layer->kind),
                        p.layer->label.empty() ? "" : fmt::format(" \"{}\"", plain(p.layer->label)), p.told));
  }

  Json colors_of(const ColorScale& scale) {
    const auto key = std::string(scale.palette->name) + (scale.is_reversed ? " turned" : "");
    if (!palettes_.contains(key)) {
      std::string all;
      constexpr int count = 512;
      for (int k = 0; k <= count; ++k)
        all += hex_of(scale.at_share(static_cast<double>(k) / count)).substr(1, 6);
      palettes_[key] = all;
    }
    return {{"palette", key}, {"low", scale.range.low}, {"high", scale.range.high}};
  }

  Json layer(const PackedLayer& p, const Look& look) {
    const auto& l = *p.layer;
    Json out = {{"kind", kind_of(l)}, {"color", css_of(look.color)}, {"width", l.width * theme_.line_factor}};
    if (!l.label.empty()) out["label"] = plain(l.label);
    if (look.dash != Dash::solid) out["dash"] = kDashes[static_cast<int>(look.dash)];
    if (look.pattern != Pattern::none)
      out["pattern"] = pattern_names()[static_cast<std::size_t>(look.pattern)];
    if (look.marker != Marker::none) {
      out["marker"] = kMarkers[static_cast<int>(look.marker)];
      out["size"] = l.size * theme_.line_factor;
    }
    if (l.opacity != 1) out["opacity"] = l.opacity;
    if (l.base != 0) out["base"] = l.base;
    if (l.is_histogram) out["histogram"] = true;
    if (l.is_lying) out["lying"] = true;
    if (l.on_right) out["on_right"] = true;
    if (l.hold != Hold::none) out["hold"] = kHolds[static_cast<int>(l.hold)];
    if (l.mesh) out["mesh"] = true;
    if (l.focus) out["focus"] = {l.focus->low, l.focus->high};
    for (const auto& [name, value] :
         {std::pair{"x_name", &l.x_name}, {"y_name", &l.y_name}, {"z_name", &l.z_name}})
      if (!value->empty()) out[name] = plain(*value);
    if (l.x_is_time) out["x_time"] = true;
    if (l.y_is_time) out["y_time"] = true;
    if (l.z_is_time) out["z_time"] = true;
    if (l.is_coloured_by_value() && l.pixels.empty())
      out["colors"] = colors_of(color_scale(l, *p.panel, theme_));
    if (l.kind == Layer::Kind::contours || l.kind == Layer::Kind::filled_contours)
      out["levels"] = levels(p, look);
    if (l.kind == Layer::Kind::contours && l.labelled_contours) out["labelled"] = true;
    for (const auto& [name, column] : p.columns.items()) out[name] = column;
    if (p.share < 1) out["told"] = p.told;
    return out;
  }

  static std::string kind_of(const Layer& l) {
    constexpr const char* names[] = {"line",       "scatter",  "stems",    "boxes",           "region",
                                     "error_bars", "heatmap",  "contours", "filled_contours", "arrows",
                                     "surface",    "wireframe"};
    return names[static_cast<int>(l.kind)];
  }

  // Lines or regions of each level, in the data's coordinates, with NaN between the pieces.
  Json levels(const PackedLayer& p, const Look& look) {
    const auto& l = *p.layer;
    const GridValues grid{l.x, l.y, l.z};
    const auto scale = color_scale(l, *p.panel, theme_);
    auto values = contour_levels(l);
    Json out = Json::array();
    const auto add = [&](double level, const std::vector<std::vector<Point>>& pieces, const Color& color,
                         const std::string& label) {
      std::vector<double> xs, ys;
      for (const auto& piece : pieces) {
        for (const auto& q : piece) {
          xs.push_back(q.x);
          ys.push_back(q.y);
        }
        xs.push_back(std::numeric_limits<double>::quiet_NaN());
        ys.push_back(std::numeric_limits<double>::quiet_NaN());
      }
      Json one = {
          {"value", level}, {"color", css_of(color)}, {"x", packed_numbers(xs)}, {"y", packed_numbers(ys)}};
      if (!std::isfinite(level) || std::fabs(level) > 1e308) one["value"] = nullptr;
      if (!label.empty()) one["label"] = json_of(kept(lay_text(label, {theme_.tick_size * 0.9}, text_)));
      out.push_back(std::move(one));
    };
    if (l.kind == Layer::Kind::contours) {
      const auto labels = tick_labels(values);
      for (std::size_t k = 0; k < values.size(); ++k)
        add(values[k], contour_lines(grid, values[k]),
            l.is_coloured_by_value() ? scale.at(values[k]) : look.color, labels[k]);
      return out;
    }
    if (values.empty()) return out;
    const auto colors = filled_contour_colors(l, values, scale);
    values.insert(values.begin(), -std::numeric_limits<double>::max());
    for (std::size_t k = 0; k < values.size(); ++k)
      add(values[k], region_above(grid, values[k]), colors[k], "");
    return out;
  }

  // -- panels

  std::vector<int> linked(Link how, std::size_t k) const {
    std::vector<int> out;
    for (std::size_t j = 0; j < figure_.panels.size(); ++j)
      if (how != Link::none && !figure_.panels[j].is_spatial() && !figure_.panels[k].is_spatial() &&
          (j == k || are_linked(how, figure_.panels[k], figure_.panels[j])))
        out.push_back(static_cast<int>(j));
    return out;
  }

  // Areas and axes.
  Json layout_of(std::size_t k) {
    const auto& panel = figure_.panels[k];
    const auto& info = list_.panels[k];
    Json out = {{"area", numbers_of(info.area)},
                {"outer", numbers_of(info.outer)},
                {"room_left", info.room_left},
                {"room_below", info.room_below}};
    if (panel.is_spatial()) {
      out["space"] = {{"turn", panel.turn},
                      {"tilt", panel.tilt},
                      {"middle", {info.middle.x, info.middle.y}},
                      {"scale", info.box_scale}};
      out["x"] = space_axis(panel.x, info.x_axis, info.area.width);
      out["y"] = space_axis(panel.y, info.y_axis, info.area.width);
      out["z"] = space_axis(panel.z, info.z_axis, info.area.height);
    } else {
      const auto font = [this](const Axis& a) { return Font{a.size.value_or(theme_.tick_size)}; };
      out["x"] = axis(panel.x, info.x_axis, font(panel.x));
      out["y"] = axis(panel.y, info.y_axis, font(panel.y));
      if (info.has_right) {
        out["right"] = axis(panel.right, info.right_axis, font(panel.right));
        out["right_labels"] = info.right_labels;
      }
    }
    return out;
  }

  // The layers from the lowest to the topmost.
  static std::vector<std::size_t> order_of(const Panel& panel) {
    std::vector<std::size_t> order;
    for (std::size_t j = 0; j < panel.layers.size(); ++j) order.push_back(j);
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
      const auto rank = [&](std::size_t i) { return panel.layers[i].order.value_or(static_cast<double>(i)); };
      return rank(a) < rank(b);
    });
    return order;
  }

  Json layers_of(std::size_t k) {
    const auto& panel = figure_.panels[k];
    const auto looks = looks_of(panel, theme_);
    Json out = Json::array();
    for (std::size_t j = 0; j < panel.layers.size(); ++j)
      for (const auto& p : packed_)
        if (p.layer == &panel.layers[j]) out.push_back(layer(p, looks[j]));
    return out;
  }

  Json panel(std::size_t k) {
    poll_interrupt();
    const auto& panel = figure_.panels[k];
    auto out = layout_of(k);
    out["title"] = plain(panel.title);
    if (panel.color_bar && panel.color_bar->title && !panel.color_bar->title->empty())
      out["values"] = plain(*panel.color_bar->title);
    if (!panel.is_spatial()) flat(panel, k, out);
    out["layers"] = layers_of(k);
    out["order"] = order_of(panel);
    return out;
  }

  void flat(const Panel& panel, std::size_t k, Json& out) const {
    const auto x = linked(figure_.link_x, k), y = linked(figure_.link_y, k);
    if (x.size() > 1) out["link_x"] = x;
    if (y.size() > 1) out["link_y"] = y;
    const auto grid = panel.grid.value_or(theme_.default_grid);
    const auto frame = panel.frame.value_or(theme_.default_frame);
    out["grid"] = {grid.x, grid.y};
    out["frame"] = {frame.left, frame.bottom, frame.right, frame.top};
    if (!panel.guides.empty()) {
      Json guides = Json::array();
      for (const auto& g : panel.guides) {
        Json one = {{"vertical", g.is_vertical},
                    {"at", g.at},
                    {"color", css_of(g.color.value_or(theme_.soft))},
                    {"width", g.width * theme_.line_factor},
                    {"dash", kDashes[static_cast<int>(g.dash)]}};
        if (g.from) one["from"] = *g.from;
        if (g.to) one["to"] = *g.to;
        guides.push_back(one);
      }
      out["guides"] = guides;
    }
    if (!panel.notes.empty() || !panel.labels.empty()) {
      Json notes = Json::array();
      for (const auto& note : panel.notes) notes.push_back({note.x, note.y});
      for (const auto& label : panel.labels) notes.push_back({label.x, label.y});
      out["notes"] = notes;
    }
  }

  const Figure& figure_;
  const DisplayList& list_;
  const Theme theme_;
  PangoText& text_;
  EmbeddedFonts& fonts_;
  std::vector<std::string> warnings_;
  TextLayer lines_;
  std::vector<PackedLayer> packed_;
  std::vector<std::string> told_;
  Json palettes_ = Json::object();
};

}  // namespace

std::string css_of(const Color& c) {
  const auto part = [](double v) { return std::lround(std::clamp(v, 0.0, 1.0) * 255); };
  if (c.alpha >= 1) return fmt::format("#{:02x}{:02x}{:02x}", part(c.red), part(c.green), part(c.blue));
  return fmt::format("rgba({},{},{},{:.4g})", part(c.red), part(c.green), part(c.blue),
                     std::max(0.0, c.alpha));
}

std::string page_model(const Figure& figure, const DisplayList& list, PangoText& text, EmbeddedFonts& fonts) {
  return PageModel(figure, list, text, fonts).run();
}

std::string page_layout(const Figure& figure, const DisplayList& list, PangoText& text,
                        EmbeddedFonts& fonts) {
  return PageModel(figure, list, text, fonts).run_layout();
}

std::string json_text(const std::string& text) { return PageModel::written(Json(text)); }

struct FrameModels::State {
  PangoText& text;
  EmbeddedFonts& fonts;
  std::optional<Json> first{};
  std::set<std::string> palettes{};  // that a frame has brought
};

FrameModels::FrameModels(PangoText& text, EmbeddedFonts& fonts)
    : state_(std::make_unique<State>(State{text, fonts})) {}
FrameModels::~FrameModels() = default;

std::string FrameModels::frame(const Figure& figure, const DisplayList& list) {
  auto all = PageModel(figure, list, state_->text, state_->fonts).run_layers();
  const Json now = all["layers"];
  if (!state_->first) state_->first = now;
  Json out = Json::array();
  for (std::size_t p = 0; p < now.size(); ++p) {
    out.push_back(Json::array());
    for (std::size_t k = 0; k < now[p].size(); ++k) {
      const auto& layer = now[p][k];
      Json changed = Json::object();
      const bool is_known = p < state_->first->size() && k < (*state_->first)[p].size();
      const Json none = Json::object();
      const auto& before = is_known ? (*state_->first)[p][k] : none;
      for (const auto& [key, value] : layer.items())
        if (!before.contains(key) || before[key] != value) changed[key] = value;
      for (const auto& [key, value] : before.items())
        if (!layer.contains(key)) changed[key] = nullptr;
      out.back().push_back(std::move(changed));
    }
  }
  all["layers"] = std::move(out);
  const auto palettes = all["palettes"];
  for (const auto& [name, colors] : palettes.items())
    if (!state_->palettes.insert(name).second) all["palettes"].erase(name);
  return PageModel::written(all);
}

}  // namespace quill
