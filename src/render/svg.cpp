#include "render/svg.h"

#include <fmt/format.h>

#include <cmath>
#include <map>
#include <numbers>
#include <utility>

#include "base/interrupt.h"
#include "base/text.h"
#include "render/embedded_fonts.h"
#include "render/outlines.h"
#include "render/raster.h"

namespace quill {

std::string hundredths(double v) {
  auto out = fmt::format("{:.2f}", v);
  while (out.back() == '0') out.pop_back();
  if (out.back() == '.') out.pop_back();
  return out == "-0" ? "0" : out;
}

namespace {

std::string paint_of(const char* what, const Color& c) {
  auto opaque = c;
  opaque.alpha = 1;
  auto out = fmt::format(" {}=\"{}\"", what, hex_of(opaque));
  if (c.alpha < 1) out += fmt::format(" {}-opacity=\"{}\"", what, fmt::format("{:.3g}", c.alpha));
  return out;
}

std::string path_of(const std::vector<Point>& piece, bool closed) {
  std::string out;
  for (std::size_t k = 0; k < piece.size(); ++k)
    out += fmt::format("{}{} {}", k == 0 ? "M" : "L", hundredths(piece[k].x), hundredths(piece[k].y));
  if (closed && !out.empty()) out += 'Z';
  return out;
}

std::string path_of(const std::vector<std::vector<Point>>& pieces, bool closed) {
  std::string out;
  for (const auto& piece : pieces) out += path_of(piece, closed);
  return out;
}

std::string data_url(cairo_surface_t* surface) {
  std::string bytes;
  cairo_surface_write_to_png_stream(
      surface,
      [](void* to, const unsigned char* data, unsigned int length) {
        static_cast<std::string*>(to)->append(reinterpret_cast<const char*>(data), length);
        return CAIRO_STATUS_SUCCESS;
      },
      &bytes);
  auto* text = g_base64_encode(reinterpret_cast<const guchar*>(bytes.data()), bytes.size());
  std::string out = "data:image/png;base64,";
  out += text;
  g_free(text);
  return out;
}

// Names of families in quotes, the generic one at the end bare.
std::string families(std::string names) {
  std::string out;
  while (!names.empty()) {
    const auto comma = names.find(',');
    const auto name = names.substr(0, comma);
    const bool last = comma == std::string::npos;
    out += last ? name : fmt::format("'{}',", name);
    names = last ? "" : names.substr(comma + 2);
  }
  return out;
}

}  // namespace

class SvgItems::Writer {
 public:
  Writer(Point page, EmbeddedFonts& fonts, std::string prefix)
      : page_(page), fonts_(fonts), prefix_(std::move(prefix)) {}

  void add(const Item& item) {
    poll_interrupt();
    std::visit([this](const auto& i) { draw(i); }, item);
  }
  std::string definitions_, body_;

 private:
  void draw(const StrokePath& s) {
    body_ += fmt::format("<path fill=\"none\"{} stroke-width=\"{}\" stroke-linejoin=\"round\"{} d=\"{}\"/>\n",
                         paint_of("stroke", s.color), hundredths(s.width), dash_of(s.dash, s.width),
                         path_of(s.pieces, false));
  }

  static std::string dash_of(Dash dash, double width) {
    const auto pattern = dash_pattern(dash, width);
    if (pattern.lengths.empty()) return {};
    std::string lengths;
    for (const double l : pattern.lengths) lengths += (lengths.empty() ? "" : " ") + hundredths(l);
    return fmt::format(" stroke-dasharray=\"{}\"{}", lengths,
                       pattern.round ? " stroke-linecap=\"round\"" : "");
  }

  void draw(const FillRect& f) {
    body_ += fmt::format("<rect x=\"{}\" y=\"{}\" width=\"{}\" height=\"{}\"{}/>\n", hundredths(f.rect.x),
                         hundredths(f.rect.y), hundredths(f.rect.width), hundredths(f.rect.height),
                         paint_of("fill", f.color));
  }

  void draw(const FillPath& f) {
    body_ += fmt::format("<path{} d=\"{}\"/>\n", paint_of("fill", f.color), path_of(f.pieces, true));
  }

  void draw(const Quads& q) {
    const bool opaque = is_opaque(q);
    if (q.corners.size() > kManyPieces) {
      const auto image = paint_pieces(q, kFileScale, {0, 0, page_.x, page_.y});
      if (image.surface)
        draw(image.surface.get(), {image.origin.x, image.origin.y, image.width, image.height}, false);
      return;
    }
    // Without seams between neighbours, which viewers would show by smoothing their edges.
    body_ += fmt::format("<g stroke-linejoin=\"round\" stroke-width=\"{}\"{}>\n",
                         hundredths(q.mesh > 0 ? q.mesh
                                    : opaque   ? 0.3
                                               : 0),
                         q.mesh > 0 ? paint_of("stroke", q.mesh_color) : "");
    for (std::size_t k = 0; k < q.corners.size(); ++k) {
      poll_interrupt_at(k);
      const auto fill = paint_of("fill", q.colors[k]);
      const auto stroke = q.mesh == 0 && opaque ? paint_of("stroke", q.colors[k]) : std::string();
      body_ += fmt::format("<path{}{} d=\"{}\"/>\n", fill, stroke,
                           path_of(std::vector<Point>(q.corners[k].begin(), q.corners[k].end()), true));
    }
    body_ += "</g>\n";
  }

  void draw(const Picture& p) { draw(picture_surface(p).get(), p.rect, true); }

  void draw(cairo_surface_t* surface, const Rect& at, bool sharp) {
    body_ += fmt::format(
        "<image x=\"{}\" y=\"{}\" width=\"{}\" height=\"{}\" preserveAspectRatio=\"none\"{} "
        "xlink:href=\"{}\"/>\n",
        hundredths(at.x), hundredths(at.y), hundredths(at.width), hundredths(at.height),
        sharp ? " image-rendering=\"optimizeSpeed\" style=\"image-rendering:pixelated\"" : "",
        data_url(surface));
  }

  void draw(const Markers& m) {
    if (are_many(m, kFileScale, false)) {
      const auto image = paint_markers(m, kFileScale, {0, 0, page_.x, page_.y});
      return draw(image.surface.get(), {0, 0, image.width, image.height}, false);
    }
    const auto look = marker_outline(m.shape, m.size);
    const auto shape = fmt::format("<path id=\"{{}}\" d=\"{}\"/>\n", marker_path(look));
    const auto [found, is_new] =
        markers_.try_emplace(shape, fmt::format("{}m{}", prefix_, markers_.size() + 1));
    if (is_new) definitions_ += fmt::format(fmt::runtime(shape), found->second);
    body_ += fmt::format("<g{}>\n", marker_style(look, m, m.color));
    for (std::size_t k = 0; k < m.points.size(); ++k) {
      poll_interrupt_at(k);
      body_ += fmt::format("<use xlink:href=\"#{}\" x=\"{}\" y=\"{}\"{}/>\n", found->second,
                           hundredths(m.points[k].x), hundredths(m.points[k].y),
                           m.colors.empty() ? std::string() : marker_style(look, m, m.colors[k]));
    }
    body_ += "</g>\n";
  }

  static std::string marker_style(const MarkerOutline& look, const Markers& m, const Color& color) {
    if (look.stroke == 0) return paint_of("fill", color);
    auto inside = m.paper;
    inside.alpha = color.alpha;
    return paint_of("stroke", color) + fmt::format(" stroke-width=\"{}\"", hundredths(look.stroke)) +
           (look.filled ? paint_of("fill", inside) : " fill=\"none\"");
  }

  static std::string marker_path(const MarkerOutline& look) {
    if (look.radius > 0) {
      const auto r = hundredths(look.radius);
      return fmt::format("M-{0} 0a{0} {0} 0 1 0 {1} 0a{0} {0} 0 1 0 -{1} 0Z", r, hundredths(2 * look.radius));
    }
    std::string out;
    for (const auto& piece : look.pieces) out += path_of(piece, look.closed);
    return out;
  }

  void draw(const DrawnText& t) {
    auto place = fmt::format("translate({} {})", hundredths(t.at.x), hundredths(t.at.y));
    if (t.angle != 0) place += fmt::format(" rotate({})", hundredths(-t.angle * 180 / std::numbers::pi));
    body_ += fmt::format("<g transform=\"{}\"{}>\n", place, paint_of("fill", t.color));
    // Several runs form one selectable text, each with its position and width.
    body_ += "<text>";
    for (const auto& run : t.line.runs) {
      fonts_.add(run.text, run.font);
      body_ += fmt::format(
          "<tspan class=\"{}\" x=\"{}\" y=\"{}\" font-size=\"{}\"{}{}>{}</tspan>",
          run.font.family == Font::Family::math ? "m" : "t", hundredths(run.x), hundredths(-run.rise),
          hundredths(run.font.size), run.font.bold ? " font-weight=\"600\"" : "",
          run.font.italic ? " font-style=\"italic\"" : "", escaped_markup(printable(run.text)));
    }
    body_ += "</text>\n";
    for (const auto& stroke : t.line.strokes) {
      std::vector<Point> points;
      for (const auto& [x, rise] : stroke.points) points.push_back({x, -rise});
      body_ += fmt::format("<path fill=\"none\"{} stroke-width=\"{}\" d=\"{}\"/>\n",
                           paint_of("stroke", t.color), hundredths(stroke.width), path_of(points, false));
    }
    body_ += "</g>\n";
  }

  void draw(const ClipTo& c) {
    const auto shape =
        fmt::format("<rect x=\"{}\" y=\"{}\" width=\"{}\" height=\"{}\"/>", hundredths(c.rect.x),
                    hundredths(c.rect.y), hundredths(c.rect.width), hundredths(c.rect.height));
    const auto [found, is_new] = clips_.try_emplace(shape, fmt::format("{}c{}", prefix_, clips_.size() + 1));
    if (is_new) definitions_ += fmt::format("<clipPath id=\"{}\">{}</clipPath>\n", found->second, shape);
    body_ += fmt::format("<g clip-path=\"url(#{})\">\n", found->second);
  }
  void draw(const Unclip&) { body_ += "</g>\n"; }

  Point page_;
  EmbeddedFonts& fonts_;
  std::string prefix_;
  std::map<std::string, std::string> clips_, markers_;
};

SvgItems::SvgItems(Point page, EmbeddedFonts& fonts, std::string prefix)
    : writer_(std::make_unique<Writer>(page, fonts, std::move(prefix))) {}
SvgItems::~SvgItems() = default;
void SvgItems::add(const Item& item) { writer_->add(item); }
const std::string& SvgItems::definitions() const { return writer_->definitions_; }
std::string SvgItems::take_body() { return std::exchange(writer_->body_, ""); }

std::string svg_text_styles() {
  return fmt::format(
             ".t{{font-family:{};font-feature-settings:'tnum','calt' 0}}\n"
             ".m{{font-family:{}}}\n",
             families(kTextFamilies), families(kMathFamilies)) +
         "text{white-space:pre}\n";
}

std::string write_svg(const DisplayList& list, PangoText& text) {
  EmbeddedFonts fonts(text);
  SvgItems items({list.width, list.height}, fonts);
  for (const auto& item : list.items) items.add(item);
  constexpr double millimetres = 25.4 / 72;
  auto out = fmt::format(
      "<svg xmlns=\"http://www.w3.org/2000/svg\" xmlns:xlink=\"http://www.w3.org/1999/xlink\" "
      "width=\"{0}mm\" "
      "height=\"{1}mm\" viewBox=\"0 0 {2} {3}\" role=\"img\">\n",
      hundredths(list.width * millimetres), hundredths(list.height * millimetres), hundredths(list.width),
      hundredths(list.height));
  if (!list.description.empty())
    out += fmt::format("<desc>{}</desc>\n", escaped_markup(printable(list.description)));
  out += "<style>\n" + fonts.css() + svg_text_styles() + "</style>\n<defs>\n" + items.definitions() +
         "</defs>\n";
  out += fmt::format("<rect width=\"100%\" height=\"100%\"{}/>\n", paint_of("fill", list.paper));
  return out + items.take_body() + "</svg>\n";
}

}  // namespace quill
