#include "render/formula.h"

#include <fmt/format.h>

#include "base/text.h"
#include "figure/text.h"
#include "render/pango_text.h"
#include "render/svg.h"

namespace quill {

namespace {

constexpr double kEm = 10;  // points that the letters are laid out with

// The current path of a context as the text of an SVG path.
std::string path_text(cairo_t* cr) {
  const std::unique_ptr<cairo_path_t, Release<cairo_path_t, cairo_path_destroy>> path(cairo_copy_path(cr));
  std::string out;
  const auto put = [&](char letter, const cairo_path_data_t* points, int count) {
    out += letter;
    for (int k = 1; k <= count; ++k)
      out += fmt::format("{}{} {}", k > 1 ? " " : "", hundredths(points[k].point.x),
                         hundredths(points[k].point.y));
  };
  for (int k = 0; k < path->num_data; k += path->data[k].header.length) {
    const auto* part = &path->data[k];
    switch (part->header.type) {
      case CAIRO_PATH_MOVE_TO: put('M', part, 1); break;
      case CAIRO_PATH_LINE_TO: put('L', part, 1); break;
      case CAIRO_PATH_CURVE_TO: put('C', part, 3); break;
      case CAIRO_PATH_CLOSE_PATH: out += 'Z'; break;
    }
  }
  return out;
}

}  // namespace

FormulaPicture formula_picture(const std::string& formula) {
  static PangoText text;
  const auto line = lay_text("$" + formula + "$", {.size = kEm}, text);
  FormulaPicture out;
  out.spoken = line.plain();
  out.error = line.error;
  const Surface surface(cairo_recording_surface_create(CAIRO_CONTENT_ALPHA, nullptr));
  const Cairo cr(cairo_create(surface.get()));
  for (const auto& run : line.runs) {
    cairo_move_to(cr.get(), run.x, -run.rise);
    text.outline(cr.get(), run.text, run.font);
  }
  std::string strokes;
  for (const auto& stroke : line.strokes) {
    std::string d;
    for (const auto& [x, rise] : stroke.points)
      d += fmt::format("{}{} {}", d.empty() ? 'M' : 'L', hundredths(x), hundredths(-rise));
    strokes += fmt::format("<path fill=\"none\" stroke=\"currentColor\" stroke-width=\"{}\" d=\"{}\"/>",
                           hundredths(stroke.width), d);
  }
  // Letters that lean reach beyond their advance.
  constexpr double slack = 0.6;
  out.svg = fmt::format(
      "<svg class=\"formula\" role=\"img\" aria-label=\"{}\" viewBox=\"{} {} {} {}\" "
      "style=\"width:{}em;height:{}em;vertical-align:{}em\"><path fill=\"currentColor\" d=\"{}\"/>{}</svg>",
      escaped_markup(printable(out.spoken)), hundredths(-slack), hundredths(-line.ascent),
      hundredths(line.width + 2 * slack), hundredths(line.height()),
      hundredths((line.width + 2 * slack) / kEm), hundredths(line.height() / kEm),
      hundredths(-line.descent / kEm), path_text(cr.get()), strokes);
  return out;
}

std::string data_url(std::string_view bytes, const std::string& type) {
  auto* text = g_base64_encode(reinterpret_cast<const guchar*>(bytes.data()), bytes.size());
  auto out = "data:" + type + ";base64," + text;
  g_free(text);
  return out;
}

}  // namespace quill
