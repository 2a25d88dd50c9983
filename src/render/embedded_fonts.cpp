#include "render/embedded_fonts.h"

#include <fmt/format.h>
#include <hb-ot.h>
#include <hb-subset.h>

#include "base/text.h"

namespace quill {

namespace {

template <class T, void (*destroy)(T*)>
using Handle = std::unique_ptr<T, Release<T, destroy>>;

std::string base64(const char* data, unsigned int length) {
  auto* text = g_base64_encode(reinterpret_cast<const guchar*>(data), length);
  std::string out(text);
  g_free(text);
  return out;
}

// Subset of a font file with these characters; "" if the font does not permit it.
std::string subset(PangoFont* font, const std::set<char32_t>& characters) {
  auto* face = hb_font_get_face(pango_font_get_hb_font(font));
  const Handle<hb_subset_input_t, hb_subset_input_destroy> input(hb_subset_input_create_or_fail());
  if (!input) return {};
  for (const char32_t c : characters) hb_set_add(hb_subset_input_unicode_set(input.get()), c);
  // Of the features of a font only those that these texts use.
  auto* features = hb_subset_input_set(input.get(), HB_SUBSET_SETS_LAYOUT_FEATURE_TAG);
  hb_set_clear(features);
  for (const char* tag : {"kern", "tnum", "mark", "mkmk", "ccmp"})
    hb_set_add(features, hb_tag_from_string(tag, 4));
  const Handle<hb_face_t, hb_face_destroy> cut(hb_subset_or_fail(face, input.get()));
  if (!cut) return {};
  const Handle<hb_blob_t, hb_blob_destroy> blob(hb_face_reference_blob(cut.get()));
  unsigned int length = 0;
  const char* data = hb_blob_get_data(blob.get(), &length);
  return length > 0 ? base64(data, length) : std::string();
}

}  // namespace

void EmbeddedFonts::add(const std::string& text, const Font& font) {
  text_.each_font(text, font, [&](PangoFont* pango_font, const std::string& characters) {
    auto* description = pango_font_describe(pango_font);
    const auto* family = pango_font_description_get_family(description);
    const Face face{family ? family : "", pango_font_description_get_weight(description),
                    pango_font_description_get_style(description) != PANGO_STYLE_NORMAL};
    pango_font_description_free(description);
    auto& part = parts_[face];
    if (!part.font) part.font.reset(static_cast<PangoFont*>(g_object_ref(pango_font)));
    for (std::size_t i = 0; i < characters.size();) {
      const auto c = decode(characters, i);
      part.characters.insert(c.code);
      i += static_cast<std::size_t>(c.length);
    }
  });
}

std::string EmbeddedFonts::css() const {
  std::string out;
  for (const auto& [face, part] : parts_)
    if (const auto file = subset(part.font.get(), part.characters); !file.empty())
      out += fmt::format(
          "@font-face{{font-family:'{}';font-weight:{};font-style:{};src:url(data:font/otf;base64,{})}}\n",
          face.family, face.weight, face.italic ? "italic" : "normal", file);
  return out;
}

}  // namespace quill
