// Renders Markdown to HTML.
#pragma once

#include <functional>
#include <string>

namespace quill {

struct ProseOptions {
  int level = 2;  // of its highest heading
  // Returns the picture of a file as a data URL; "" if there is none.
  std::function<std::string(const std::string& file)> picture;
  // Text of the project itself: HTML, links and pictures are kept; headings keep their levels and get an id.
  bool is_trusted = false;
};

// Replaces the four character references that escaping produces.
std::string unescaped_markup(std::string text);

// Uses md4c, with tables; HTML is shown as text. Formulas between dollar signs are typeset, pictures are
// embedded, links are restricted to web and mail. `last_level`: level of the preceding heading, updated to
// that of the last one, so that no level is skipped.
std::string html_of_prose(const std::string& markdown, const ProseOptions& options, int& last_level);

}  // namespace quill
