#include <cairo.h>
#include <hb.h>
#include <pango/pango.h>

#include "render/render.h"

namespace quill {

std::vector<std::pair<std::string, std::string>> render_libraries() {
  return {{"Cairo", cairo_version_string()},
          {"Pango", pango_version_string()},
          {"HarfBuzz", hb_version_string()}};
}

}  // namespace quill
