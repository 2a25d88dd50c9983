// Interactive figures for browsers: one file, no network access.
#pragma once

#include <functional>
#include <memory>
#include <string>

#include "figure/display.h"
#include "figure/model.h"

namespace quill {

// Parts of a page with interactive figures.
class PageParts {
 public:
  PageParts();
  ~PageParts();
  // The element of a figure with its data. `stands_alone`: fills the window.
  std::string figure(const Figure& figure, const DisplayList& list, bool stands_alone);
  std::string animated_figure(const Figure& figure, const std::function<DisplayList(std::size_t)>& frame,
                              bool stands_alone);
  // Once for all figures: styles for the head, the script for the end of the body, and the sources that a
  // content security policy has to allow ("script-src …").
  std::string styles() const;
  static std::string script();
  static std::string policy();

 private:
  std::string element(const Figure& figure, const DisplayList& list, bool stands_alone,
                      const std::string& sheets, const std::string& more);
  struct Parts;
  std::unique_ptr<Parts> parts_;
};

// Page of an animated figure whose frames share limits; `frame(k)` lays out frame k. Stores the differences
// of each frame from the first.
std::string render_animated_page(const Figure& figure, const std::function<DisplayList(std::size_t)>& frame);

// Page of one figure.
std::string render_page(const Figure& figure, const DisplayList& list);

}  // namespace quill
