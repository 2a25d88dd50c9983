// Prose in Markdown as HTML.
#pragma once

#include <functional>
#include <string>

namespace quill {

struct ProseOptions {
  int level = 2;  // of its highest heading
  // The picture of a file as a data URL; "" when there is none.
  std::function<std::string(const std::string& file)> picture;
  // Text of the project itself: HTML, links and pictures are kept, headings keep their levels and get an id.
  bool is_trusted = false;
};

// Text of HTML with its four character references replaced.
std::string unescaped_markup(std::string text);

// By md4c, with tables; HTML in it is shown as text. Formulas between dollar signs are set, pictures are
// taken into the page, links lead to the web or to mail alone. `last_level` is that of the heading before,
// and becomes that of the last one here, so that no level is left out.
std::string html_of_prose(const std::string& markdown, const ProseOptions& options, int& last_level);

}  // namespace quill
