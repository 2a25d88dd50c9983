#include "render/pango_text.h"

#include "base/text.h"

namespace quill {

const char* const kTextFamilies = "Inter, DejaVu Sans, sans-serif";
const char* const kMathFamilies = "TeX Gyre Pagella Math, DejaVu Math TeX Gyre, DejaVu Serif, serif";

namespace {

// Text is laid out at a large size and scaled, so that widths do not depend on the resolution.
constexpr double kLayoutScale = 16;

}  // namespace

PangoText::PangoText()
    : map_(pango_cairo_font_map_new()),
      context_(pango_font_map_create_context(map_.get())),
      layout_(pango_layout_new(context_.get())),
      text_font_(pango_font_description_from_string(kTextFamilies)),
      math_font_(pango_font_description_from_string(kMathFamilies)) {
  auto* options = cairo_font_options_create();
  cairo_font_options_set_hint_style(options, CAIRO_HINT_STYLE_NONE);
  cairo_font_options_set_hint_metrics(options, CAIRO_HINT_METRICS_OFF);
  cairo_font_options_set_antialias(options, CAIRO_ANTIALIAS_GRAY);
  pango_cairo_context_set_font_options(context_.get(), options);
  pango_cairo_context_set_resolution(context_.get(), 72);
  cairo_font_options_destroy(options);
  // Figures of equal width keep columns of tick labels straight.
  auto* attributes = pango_attr_list_new();
  pango_attr_list_insert(attributes, pango_attr_font_features_new("tnum=1, calt=0"));
  pango_layout_set_attributes(layout_.get(), attributes);
  pango_attr_list_unref(attributes);
}

PangoText::~PangoText() {
  pango_font_description_free(text_font_);
  pango_font_description_free(math_font_);
}

void PangoText::set(const std::string& text, const Font& font) {
  auto* description = font.family == Font::Family::math ? math_font_ : text_font_;
  pango_font_description_set_absolute_size(description, font.size * kLayoutScale * PANGO_SCALE);
  pango_font_description_set_weight(description, font.bold ? PANGO_WEIGHT_SEMIBOLD : PANGO_WEIGHT_NORMAL);
  pango_font_description_set_style(description, font.italic ? PANGO_STYLE_ITALIC : PANGO_STYLE_NORMAL);
  pango_layout_set_font_description(layout_.get(), description);
  // Control and invalid characters are shown by their codes.
  const auto shown = printable(text);
  pango_layout_set_text(layout_.get(), shown.data(), static_cast<int>(shown.size()));
}

TextExtent PangoText::measure(const std::string& text, const Font& font) {
  const auto [from, to] = measured_.equal_range(text);
  for (auto it = from; it != to; ++it)
    if (it->second.font == font) return it->second.extent;
  set(text, font);
  PangoRectangle ink, logical;
  pango_layout_get_extents(layout_.get(), &ink, &logical);
  const double unit = 1.0 / (PANGO_SCALE * kLayoutScale);
  const double baseline = pango_layout_get_baseline(layout_.get()) * unit;
  TextExtent extent;
  extent.width = logical.width * unit;
  extent.ascent = baseline - logical.y * unit;
  extent.descent = (logical.y + logical.height) * unit - baseline;
  extent.ink_ascent = baseline - ink.y * unit;
  extent.ink_descent = (ink.y + ink.height) * unit - baseline;
  extent.ink_left = (ink.x - logical.x) * unit;
  extent.ink_right = extent.ink_left + ink.width * unit;
  extent.unknown = pango_layout_get_unknown_glyphs_count(layout_.get());
  constexpr std::size_t many = 20000;
  if (measured_.size() > many) measured_.clear();
  measured_.emplace(text, Known{font, extent});
  return extent;
}

void PangoText::draw(cairo_t* cr, const std::string& text, const Font& font) {
  set(text, font);
  cairo_save(cr);
  cairo_scale(cr, 1 / kLayoutScale, 1 / kLayoutScale);
  pango_cairo_show_layout_line(cr, pango_layout_get_line_readonly(layout_.get(), 0));
  cairo_restore(cr);
}

void PangoText::outline(cairo_t* cr, const std::string& text, const Font& font) {
  set(text, font);
  cairo_save(cr);
  cairo_scale(cr, 1 / kLayoutScale, 1 / kLayoutScale);
  pango_cairo_layout_line_path(cr, pango_layout_get_line_readonly(layout_.get(), 0));
  cairo_restore(cr);
}

void PangoText::each_font(const std::string& text, const Font& font,
                          const std::function<void(PangoFont*, const std::string&)>& visit) {
  set(text, font);
  const auto shown = printable(text);
  auto* line = pango_layout_get_line_readonly(layout_.get(), 0);
  for (auto* at = line->runs; at; at = at->next) {
    const auto* item = static_cast<PangoGlyphItem*>(at->data)->item;
    visit(item->analysis.font,
          shown.substr(static_cast<std::size_t>(item->offset), static_cast<std::size_t>(item->length)));
  }
}

}  // namespace quill
