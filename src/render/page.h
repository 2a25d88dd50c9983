// Figures that are turned, zoomed and read in a browser: one file, without a network.
#pragma once

#include <functional>
#include <memory>
#include <string>

#include "figure/display.h"
#include "figure/model.h"

namespace quill {

// The parts of a page with interactive figures.
class PageParts {
 public:
  PageParts();
  ~PageParts();
  // The element of a figure, its data in it. One that stands alone is as large as the window lets it be.
  std::string figure(const Figure& figure, const DisplayList& list, bool stands_alone);
  std::string animated_figure(const Figure& figure, const std::function<DisplayList(std::size_t)>& frame,
                              bool stands_alone);
  // Once for all figures that were asked for: the styles for the head, the script for the end of the body,
  // and what of both a policy has to allow ("script-src …").
  std::string styles() const;
  static std::string script();
  static std::string policy();

 private:
  std::string element(const Figure& figure, const DisplayList& list, bool stands_alone,
                      const std::string& sheets, const std::string& more);
  struct Parts;
  std::unique_ptr<Parts> parts_;
};

// The whole page of an animated figure, whose frames have their limits in common; `frame(k)` lays out the
// k-th. Of each frame what differs from the first one is written.
std::string render_animated_page(const Figure& figure, const std::function<DisplayList(std::size_t)>& frame);

// The whole page of one figure.
std::string render_page(const Figure& figure, const DisplayList& list);

}  // namespace quill
