// Refinement where the error is, and the second look.
#include <numeric>

#include "numerics/adaptive_state.h"

namespace quill {

namespace adaptive {

void AdaptiveIntegral::refine() {
  while (!queue_.empty() && static_cast<double>(error_) > tolerance()) {
    const auto [error, k] = queue_.top();
    queue_.pop();
    auto& i = intervals_[k];
    if (i.is_dead || i.is_final || error != i.error) continue;
    if (error <= floor_of(i)) continue;
    bisect(k);
  }
}

void AdaptiveIntegral::bisect(std::size_t k) {
  const auto substitution = intervals_[k].substitution;
  if (intervals_[k].slow >= 2 && intervals_[k].slow % 3 == 2 && divide_at_jump(k)) return;
  const auto& c = substitutions_[substitution];
  const double low = intervals_[k].low, high = intervals_[k].high, middle = low + (high - low) / 2;
  const double least = 8 * kEps * std::max(std::fabs(low), std::fabs(high));
  if (high - low <= least || !(middle > low && middle < high)) {
    const double from = std::min(c.x(low), c.x(high)), to = std::max(c.x(low), c.x(high));
    if (c.kind != Substitution::Kind::tail && intervals_[k].slow > 20)
      divide_at_singularity(c.piece, from, to);
    else
      intervals_[k].is_final = true;
    return;
  }
  const int slow = intervals_[k].slow;
  const double error = intervals_[k].error;
  guarded(
      [&] {
        Interval parts[2];
        for (int side = 0; side < 2; ++side) {
          std::vector<CheckPoint> seen;
          for (const auto& w : intervals_[k].seen)
            if ((w.s < middle) == (side == 0)) seen.push_back(w);
          parts[side] =
              computed(substitution, side == 0 ? low : middle, side == 0 ? middle : high, std::move(seen));
          parts[side].slow = parts[side].error > 0.1 * error ? slow + 1 : 0;
        }
        is_incomplete_ = true;
        remove(k);
        for (auto& part : parts) {
          const auto piece = substitutions_[substitution].piece;
          const bool is_at_low = substitutions_[substitution].kind == Substitution::Kind::plain &&
                                 part.low == substitutions_[substitution].low;
          const bool is_at_high = substitutions_[substitution].kind == Substitution::Kind::plain &&
                                  part.high == substitutions_[substitution].high;
          // A singular end shows by the same gain at every bisection.
          if ((is_at_low || is_at_high) && part.slow >= 3 && part.error > 0.01 * tolerance())
            approach(is_at_low ? part.low : part.high, is_at_low ? 1 : -1, part.width(), piece);
          else
            add(std::move(part));
        }
      },
      substitution);
  is_incomplete_ = false;  // everything not finite has been restarted
}

void AdaptiveIntegral::divide_at_singularity(std::size_t piece, double low, double high) {
  double most = -1, found = low;
  double x = low;
  constexpr int beside = 8;
  for (int j = 0; j < beside; ++j) x = std::nextafter(x, -INFINITY);
  for (int j = 0; j < 64 && x <= high + (high - low); ++j, x = std::nextafter(x, INFINITY)) {
    if (!(x > pieces_[piece].from && x < pieces_[piece].to)) continue;
    const double y = std::fabs(called(x)), size = std::isfinite(y) ? y : INFINITY;
    if (size > most) {
      most = size;
      found = x;
    }
  }
  divide_piece(piece, found, found);
  // A singularity between two numbers is uncertain within an ulp.
  if (std::isfinite(most)) {
    Interval unknown;
    unknown.substitution = 0;
    unknown.is_final = true;
    unknown.error = most * 4 * kEps * std::fabs(found);
    add(std::move(unknown));
  }
}

bool AdaptiveIntegral::divide_at_jump(std::size_t k) {
  const auto substitution = intervals_[k].substitution;
  std::vector<CheckPoint> points = intervals_[k].seen;
  const double half = intervals_[k].width() / 2, center = intervals_[k].low + half;
  for (std::size_t j = 0; j < GaussKronrod::kCount; ++j)
    points.push_back({center + half * GaussKronrod::rule().nodes()[j], intervals_[k].y[j]});
  std::sort(points.begin(), points.end(), [](const CheckPoint& a, const CheckPoint& b) { return a.s < b.s; });
  std::size_t widest = 0;
  double total = 0, most = -1;
  for (std::size_t j = 0; j + 1 < points.size(); ++j) {
    const double gap = std::fabs(points[j + 1].y - points[j].y);
    total += gap;
    if (gap > most) {
      most = gap;
      widest = j;
    }
  }
  // One step that makes up a good part of all that the function moves.
  if (!(most > 0.3 * total) || most <= 0) return false;
  auto low = points[widest], high = points[widest + 1];
  bool is_jump = true;
  const bool went = guarded(
      [&] {
        for (int step = 0; step < 1100; ++step) {
          const double s = low.s + (high.s - low.s) / 2;
          if (!(s > low.s && s < high.s)) break;
          const CheckPoint w{s, at(substitutions_[substitution], s)};
          intervals_[k].seen.push_back(w);
          (std::fabs(w.y - low.y) < std::fabs(high.y - w.y) ? low : high) = w;
          if (step == 12 && std::fabs(high.y - low.y) < 0.5 * most) {
            is_jump = false;
            break;
          }
        }
      },
      substitution);
  if (!went) return true;
  if (!is_jump || std::fabs(high.y - low.y) < 0.3 * most) {
    // Values seen during the search count for the error.
    const double before = intervals_[k].error;
    judge(intervals_[k]);
    error_ += intervals_[k].error - before;
    return false;
  }
  const double from = intervals_[k].low, to = intervals_[k].high;
  return guarded(
             [&] {
               Interval left, right;
               const bool has_left = low.s > from, has_right = high.s < to;
               const auto seen_in = [&](bool is_left) {
                 std::vector<CheckPoint> out;
                 for (const auto& w : intervals_[k].seen)
                   if (is_left ? w.s <= low.s : w.s >= high.s) out.push_back(w);
                 return out;
               };
               // The last point before the jump belongs to the left part.
               if (has_left) left = computed(substitution, from, high.s, seen_in(true));
               if (has_right) right = computed(substitution, high.s, to, seen_in(false));
               remove(k);
               if (has_left) add(std::move(left));
               if (has_right) add(std::move(right));
             },
             substitution) ||
         true;
}

void AdaptiveIntegral::confirm() {
  constexpr int rounds = 8;
  for (int round = 0; round < rounds; ++round) {
    // More where more was needed to get here.
    look(static_cast<int>(std::clamp<Index>(count_ / 10, 300, 100000)), std::fmod(0.137 + 0.29 * round, 1.0));
    if (static_cast<double>(error_) <= tolerance()) {
      is_confirmed_ = true;
      return;
    }
    refine();
    if (static_cast<double>(error_) > tolerance()) return;  // the error reports it
  }
  // Every look has found something else: there is more.
  error_ += size_;
  unseen_ = static_cast<double>(size_);
}

void AdaptiveIntegral::look(int count, double phase) {
  std::vector<std::size_t> order;
  for (std::size_t k = 0; k < intervals_.size(); ++k)
    if (!intervals_[k].is_dead && intervals_[k].width() > 0) order.push_back(k);
  std::sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
    return std::pair(intervals_[a].substitution, intervals_[a].low) <
           std::pair(intervals_[b].substitution, intervals_[b].low);
  });
  std::vector<std::size_t> live;  // substitutions with intervals
  for (const auto k : order)
    if (live.empty() || live.back() != intervals_[k].substitution) live.push_back(intervals_[k].substitution);
  const auto plain = std::count_if(live.begin(), live.end(), [&](std::size_t c) {
    return substitutions_[c].kind == Substitution::Kind::plain;
  });
  for (const auto substitution : live) {
    const auto c = substitutions_[substitution];
    const int points =
        c.kind == Substitution::Kind::plain ? std::max(50, count / static_cast<int>(plain)) : count / 5;
    // Also close to both ends, where a feature falls between nodes and points most easily.
    constexpr int near_ends = 24;
    for (int j = -near_ends; j < points; ++j) {
      const double part =
          j >= 0 ? std::fmod(phase + j * kGolden, 1.0) : std::pow(10.0, -2 - (j + near_ends) / 2 * 0.9);
      const double s =
          j < 0 && j % 2 == 0 ? c.high - (c.high - c.low) * part : c.low + (c.high - c.low) * part;
      const auto found = std::upper_bound(order.begin(), order.end(), s, [&](double at, std::size_t k) {
        return std::pair(substitution, at) < std::pair(intervals_[k].substitution, intervals_[k].low);
      });
      if (found == order.begin()) continue;
      const auto k = *std::prev(found);
      auto& i = intervals_[k];
      if (i.is_dead || i.substitution != substitution || s < i.low || s > i.high) continue;
      if (!guarded([&] { i.seen.push_back({s, at(substitutions_[substitution], s)}); }, substitution)) return;
      if (c.kind == Substitution::Kind::end && c.origin != 0) {
        auto copy = i;  // its nodes are exact already
        correct(copy, copy.seen.size() - 1);
        i.seen.back() = copy.seen.back();
      }
      const double off = i.width() * std::fabs(i.seen.back().y - interpolated(i, s));
      if (off > i.error && off > floor_of(i)) {
        error_ += off - i.error;
        i.error = off;
        queue_.push({off, k});
      }
    }
  }
}

void AdaptiveIntegral::search_for_peak() {
  constexpr int many = 2500;
  for (const auto& substitution : std::vector<Substitution>(substitutions_))
    for (int j = 0; j < many && !any_; ++j) {
      const double part = std::fmod(0.5 + j * kGolden, 1.0);
      const double x =
          substitution.kind == Substitution::Kind::tail
              ? substitution.origin + substitution.side * substitution.scale * std::exp(part * 30)
              : substitution.x(substitution.low + part * (substitution.high - substitution.low));
      called(x);
    }
}

}  // namespace adaptive

}  // namespace quill
