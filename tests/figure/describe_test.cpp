// Figures in words.
#include "figure/describe.h"

#include <catch2/catch.hpp>

using namespace quill;

TEST_CASE("a figure is described by its titles, layers, axes and ranges") {
  Figure figure;
  figure.name = "depths";
  CHECK(description_of(figure) == "Figure depths");
  figure.title = "Lake Velm";
  Panel panel;
  Layer line;
  line.x = {0, 2, 10};
  line.y = {1, -3, 4.5};
  line.label = "chain $\\theta$";
  panel.layers.push_back(line);
  panel.x.title = "time $t$ (s)";
  panel.y.limits = Limits{-5, 5};
  figure.panels.push_back(panel);
  CHECK(description_of(figure) ==
        "Lake Velm. line \"chain theta\"; x, time t (s), from 0 to 10; y from -5 to 5.");
  Panel empty;
  figure.panels.push_back(empty);
  CHECK(description_of(figure).find("Panel 1 of 2: line \"chain theta\"") != std::string::npos);
  Layer surface;
  surface.kind = Layer::Kind::surface;
  surface.x = {0, 1};
  surface.y = {0, 1};
  surface.z = {1, 2, 3, 4};
  surface.z_name = "depth (m)";
  figure.panels[1].layers = {surface};
  CHECK(description_of(figure).find("z, depth (m), from 1 to 4") != std::string::npos);
}
