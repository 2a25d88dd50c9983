#include "figure/contour.h"

#include <algorithm>
#include <cmath>
#include <unordered_map>

#include "base/interrupt.h"

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
    for (std::size_t r = 0; r + 1 < g_.y.size(); ++r) {
      poll_interrupt();
      for (std::size_t c = 0; c + 1 < g_.x.size(); ++c) cell(r, c);
    }
    std::vector<bool> used(segments_.size(), false);
    std::vector<std::vector<Point>> out;
    // Open lines start at an edge with one segment; the remaining lines are closed.
    for (const bool open : {true, false})
      for (std::size_t k = 0; k < segments_.size(); ++k) {
        poll_interrupt_at(k);
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
    // A saddle: the mean decides which corners are connected.
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

namespace {

// The corners of a cell, in order around it.
struct Cell {
  Point at[4];
  double value[4];
  Cell(const GridValues& g, std::size_t r, std::size_t c) {
    const std::size_t rows[] = {r, r, r + 1, r + 1}, columns[] = {c, c + 1, c + 1, c};
    for (int k = 0; k < 4; ++k) {
      at[k] = {g.x[columns[k]], g.y[rows[k]]};
      value[k] = g.at(rows[k], columns[k]);
    }
  }
  bool is_known() const {
    return std::all_of(value, value + 4, [](double v) { return std::isfinite(v); });
  }
  int above(double level) const {
    return static_cast<int>(std::count_if(value, value + 4, [&](double v) { return v >= level; }));
  }
  // The part of it above the level.
  std::vector<Point> cut(double level) const {
    std::vector<Point> piece;
    for (int k = 0; k < 4; ++k) {
      const int next = (k + 1) % 4;
      if (value[k] >= level) piece.push_back(at[k]);
      if ((value[k] >= level) == (value[next] >= level)) continue;
      const double t = (level - value[k]) / (value[next] - value[k]);
      piece.push_back({at[k].x + t * (at[next].x - at[k].x), at[k].y + t * (at[next].y - at[k].y)});
    }
    return piece;
  }
};

}  // namespace

std::vector<std::vector<Point>> region_above(const GridValues& g, double level) {
  std::vector<std::vector<Point>> out;
  for (std::size_t r = 0; r + 1 < g.y.size(); ++r) {
    poll_interrupt();
    bool in_run = false;  // whole cells beside each other are one piece
    for (std::size_t c = 0; c + 1 < g.x.size(); ++c) {
      const Cell cell(g, r, c);
      const int above = cell.is_known() ? cell.above(level) : 0;
      if (above == 4 && in_run) {
        out.back()[1] = cell.at[1];
        out.back()[2] = cell.at[2];
      } else if (above > 0)
        out.push_back(cell.cut(level));
      in_run = above == 4;
    }
  }
  return out;
}

}  // namespace quill
