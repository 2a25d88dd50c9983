// Figures for narrow screens show the same between the same limits.
#include "render/narrow.h"

#include "../figure/laid_out.h"

using namespace quill;

TEST_CASE("a narrow figure has its panels below each other, between the same limits and with all labels") {
  Figure f;
  f.name = "f";
  f.rows = f.columns = 2;
  f.link_y = Link::rows;
  for (int k = 0; k < 4; ++k) {
    Panel p;
    p.row = 1 + k / 2;
    p.column = 1 + k % 2;
    p.layers = {test::line_of({0, 1.0 + k}, {0, 10.0 * k + 1}, "line")};
    p.legend = LegendPlace::best;
    f.panels.push_back(p);
  }
  const auto wide = test::laid(f);
  const auto narrow = narrow_figure(f, wide);
  REQUIRE(narrow);
  const auto list = test::laid(*narrow);
  test::check_texts(list);
  CHECK(list.width < 250);
  for (std::size_t k = 0; k < 4; ++k) {
    CHECK(list.panels[k].x == wide.panels[k].x);
    CHECK(list.panels[k].y == wide.panels[k].y);
    CHECK(list.panels[k].y_axis.labels_shown);
    if (k > 0) CHECK(list.panels[k].area.y > list.panels[k - 1].area.bottom());
  }
  f.width = 80;
  CHECK(!narrow_figure(f, wide));
}
