#include "figure/contour.h"

#include <algorithm>
#include <cmath>
#include <unordered_map>

namespace quill {

namespace {

// An edge of the grid by number: along the row from (r, c), or down from it.
struct Crossing {
  std::size_t edge;
  Point at;
};

class Tracer {
 public:
  Tracer(const GridValues& grid, double level) : g_(grid), level_(level) {}

  std::vector<std::vector<Point>> lines() {
    for (std::size_t r = 0; r + 1 < g_.y.size(); ++r)
      for (std::size_t c = 0; c + 1 < g_.x.size(); ++c) cell(r, c);
    std::vector<bool> used(segments_.size(), false);
    std::vector<std::vector<Point>> out;
    // Open lines start at an edge with one segment; what is left is closed.
    for (const bool open : {true, false})
      for (std::size_t k = 0; k < segments_.size(); ++k) {
        if (used[k]) continue;
        for (const int end : {0, 1}) {
          if (used[k] || (open && at_edge_[segments_[k].edge[end]].size() != 1)) continue;
          out.push_back(follow(k, end, used));
        }
      }
    return out;
  }

 private:
  struct Segment {
    std::size_t edge[2];
    Point at[2];
  };

  bool above(std::size_t r, std::size_t c) const { return g_.at(r, c) >= level_; }

  Crossing crossing(std::size_t r, std::size_t c, bool down) const {
    const std::size_t r2 = down ? r + 1 : r, c2 = down ? c : c + 1;
    const double a = g_.at(r, c), b = g_.at(r2, c2), t = (level_ - a) / (b - a);
    return {(r * g_.x.size() + c) * 2 + (down ? 1 : 0),
            {g_.x[c] + t * (g_.x[c2] - g_.x[c]), g_.y[r] + t * (g_.y[r2] - g_.y[r])}};
  }

  void cell(std::size_t r, std::size_t c) {
    const double corner[] = {g_.at(r, c), g_.at(r, c + 1), g_.at(r + 1, c + 1), g_.at(r + 1, c)};
    if (!std::isfinite(corner[0] + corner[1] + corner[2] + corner[3])) return;
    const bool a = above(r, c), b = above(r, c + 1), d = above(r + 1, c + 1), e = above(r + 1, c);
    std::vector<Crossing> at;
    if (a != b) at.push_back(crossing(r, c, false));
    if (b != d) at.push_back(crossing(r, c + 1, true));
    if (d != e) at.push_back(crossing(r + 1, c, false));
    if (e != a) at.push_back(crossing(r, c, true));
    if (at.size() == 2) add(at[0], at[1]);
    if (at.size() != 4) return;
    // A saddle: the middle says which corners belong together.
    const bool middle = (corner[0] + corner[1] + corner[2] + corner[3]) / 4 >= level_;
    if (middle == a) {
      add(at[0], at[1]);
      add(at[2], at[3]);
    } else {
      add(at[3], at[0]);
      add(at[1], at[2]);
    }
  }

  void add(const Crossing& a, const Crossing& b) {
    at_edge_[a.edge].push_back(segments_.size());
    at_edge_[b.edge].push_back(segments_.size());
    segments_.push_back({{a.edge, b.edge}, {a.at, b.at}});
  }

  std::vector<Point> follow(std::size_t k, int end, std::vector<bool>& used) {
    std::vector<Point> line = {segments_[k].at[end]};
    while (true) {
      used[k] = true;
      line.push_back(segments_[k].at[1 - end]);
      const auto edge = segments_[k].edge[1 - end];
      const auto& here = at_edge_[edge];
      const auto next = std::find_if(here.begin(), here.end(), [&](std::size_t s) { return !used[s]; });
      if (next == here.end()) return line;
      k = *next;
      end = segments_[k].edge[0] == edge ? 0 : 1;
    }
  }

  const GridValues& g_;
  double level_;
  std::vector<Segment> segments_;
  std::unordered_map<std::size_t, std::vector<std::size_t>> at_edge_;
};

}  // namespace

std::vector<std::vector<Point>> contour_lines(const GridValues& grid, double level) {
  return Tracer(grid, level).lines();
}

std::vector<std::vector<Point>> region_above(const GridValues& g, double level) {
  std::vector<std::vector<Point>> out;
  for (std::size_t r = 0; r + 1 < g.y.size(); ++r)
    for (std::size_t c = 0; c + 1 < g.x.size(); ++c) {
      const std::size_t rows[] = {r, r, r + 1, r + 1}, columns[] = {c, c + 1, c + 1, c};
      double value[4];
      for (int k = 0; k < 4; ++k) value[k] = g.at(rows[k], columns[k]);
      if (!std::isfinite(value[0] + value[1] + value[2] + value[3])) continue;
      std::vector<Point> piece;
      for (int k = 0; k < 4; ++k) {
        const int next = (k + 1) % 4;
        const Point here{g.x[columns[k]], g.y[rows[k]]}, there{g.x[columns[next]], g.y[rows[next]]};
        if (value[k] >= level) piece.push_back(here);
        if ((value[k] >= level) != (value[next] >= level)) {
          const double t = (level - value[k]) / (value[next] - value[k]);
          piece.push_back({here.x + t * (there.x - here.x), here.y + t * (there.y - here.y)});
        }
      }
      if (piece.size() > 2) out.push_back(std::move(piece));
    }
  return out;
}

}  // namespace quill
