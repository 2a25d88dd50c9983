// Owning handles of graphics library objects.
#pragma once

#include <cairo.h>
#include <glib-object.h>

#include <memory>

namespace quill {

template <class T, void (*release)(T*)>
struct Release {
  void operator()(T* p) const { release(p); }
};
using Surface = std::unique_ptr<cairo_surface_t, Release<cairo_surface_t, cairo_surface_destroy>>;
using Cairo = std::unique_ptr<cairo_t, Release<cairo_t, cairo_destroy>>;
struct Unref {
  void operator()(void* p) const { g_object_unref(p); }
};

}  // namespace quill
