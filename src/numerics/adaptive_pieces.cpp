// Pieces of a range, and the shells towards singular and infinite ends.
#include <fmt/format.h>

#include "base/error.h"
#include "numerics/adaptive_state.h"
#include "numerics/probe.h"

namespace quill {

namespace adaptive {

void AdaptiveIntegral::begin_piece(Piece piece) {
  if (!(piece.from < piece.to)) return;
  pieces_.push_back(piece);
  const auto id = pieces_.size() - 1;
  // Irrational parts, so that nothing periodic meets all of them alike.
  const double width = piece.to - piece.from;
  const double cuts[] = {piece.from, piece.from + 0.3183098861837907 * width,
                         piece.from + 0.7071067811865476 * width, piece.to};
  if (!(cuts[0] < cuts[1] && cuts[1] < cuts[2] && cuts[2] < cuts[3])) {
    // Minimal width: the integral is approximately value times width.
    Interval rest;
    rest.value = f_(piece.from) * width;
    if (std::isfinite(rest.value)) {
      rest.error = rest.size = std::fabs(rest.value);
      rest.is_final = true;
      substitutions_.push_back({Substitution::Kind::plain, piece.from, piece.to, 0, 1, 1, id});
      rest.substitution = substitutions_.size() - 1;
      rest.low = piece.from;
      rest.high = piece.to;
      add(rest);
    }
    return;
  }
  substitutions_.push_back({Substitution::Kind::plain, piece.from, piece.to, 0, 1, 1, id});
  const auto substitution = substitutions_.size() - 1;
  for (int k = 0; k < 3; ++k) {
    bool is_whole = true;
    if (k == 0 && piece.is_singular_from)
      is_whole = guarded([&] { approach(piece.from, 1, cuts[1] - cuts[0], id); }, substitution);
    else if (k == 2 && piece.is_singular_to)
      is_whole = guarded([&] { approach(piece.to, -1, cuts[3] - cuts[2], id); }, substitution);
    else
      is_whole = guarded([&] { add(computed(substitution, cuts[k], cuts[k + 1])); }, substitution);
    if (!is_whole) return;  // it has begun again
  }
}

void AdaptiveIntegral::meet(const NotFinite& point, std::size_t substitution) {
  const auto c = substitutions_[substitution];
  if (c.kind == Substitution::Kind::tail) fail_not_finite(point);
  constexpr double beside = 1e-12;
  // As near to an end as numbers come.
  if (c.kind == Substitution::Kind::end && std::fabs(point.x - c.origin) <= beside * std::fabs(point.x))
    return;
  auto p = pieces_[c.piece];
  const double width = p.to - p.from;
  if (point.x - p.from <= beside * width || p.to - point.x <= beside * width) {
    auto& flag = point.x - p.from <= beside * width ? p.is_singular_from : p.is_singular_to;
    if (flag) fail_not_finite(point);
    flag = true;
    drop_piece(c.piece);
    begin_piece(p);
    return;
  }
  const double step = std::max(std::fabs(point.x), 1e-290) * 1e-9;
  if (!std::isfinite(called(point.x - step)) || !std::isfinite(called(point.x + step)))
    fail_not_finite(point);
  divide_piece(c.piece, point.x, point.x);
}

void AdaptiveIntegral::fail_not_finite(const NotFinite& point) {
  if (std::isnan(point.y))
    fail(fmt::format("the function is nan at {}", shortest(point.x)), "check the range");
  fail(fmt::format("the function is infinite at {} and near it", shortest(point.x)), "check the range");
}

void AdaptiveIntegral::drop_piece(std::size_t piece) {
  for (std::size_t k = 0; k < intervals_.size(); ++k)
    if (!intervals_[k].is_dead && substitutions_[intervals_[k].substitution].piece == piece) remove(k);
}

void AdaptiveIntegral::divide_piece(std::size_t piece, double left, double right) {
  constexpr int most = 50;
  if (++divisions_ > most)
    fail(fmt::format("the function is not finite at {} and at other points", shortest(left)),
         "check the range");
  const auto p = pieces_[piece];
  // Floating-point numbers are densest around 0: a point next to it counts as 0.
  if (left == right && std::fabs(left) < 1e-290 && p.from < 0 && p.to > 0) left = right = 0;
  const bool was_incomplete = std::exchange(is_incomplete_, true);
  drop_piece(piece);
  begin_piece({p.from, left, p.is_singular_from, true});
  begin_piece({right, p.to, true, p.is_singular_to});
  is_incomplete_ = was_incomplete;
}

void AdaptiveIntegral::half_line(double from, double side) {
  const auto scale = scale_of([&](double d) {
    const double y = called(from + side * d);
    return std::isfinite(y) ? y : 0;
  });
  const double s = scale.size;
  std::vector<double> near = {0, s};
  for (const double d : scale.breaks) near.push_back(d);
  std::sort(near.begin(), near.end());
  for (std::size_t k = 0; k + 1 < near.size(); ++k) {
    const double a = from + side * near[k], b = from + side * near[k + 1];
    begin_piece({std::min(a, b), std::max(a, b)});
  }
  const double last = near.back();
  approach(from, side, last, kNoPiece, Substitution::Kind::tail);
}

void AdaptiveIntegral::approach(double origin, double side, double scale, std::size_t piece,
                                Substitution::Kind kind) {
  Substitution substitution{kind, 0, 0, origin, side, scale, piece};
  // An end cannot be distinguished from points within some ulp.
  if (kind == Substitution::Kind::end)
    substitution.high =
        origin == 0 ? std::log(scale) + 700 : std::log(scale / (256 * kEps * std::fabs(origin)));
  else
    substitution.high = std::log(1e300 / scale);
  substitutions_.push_back(substitution);
  const auto id = substitutions_.size() - 1;
  std::vector<double> values, sizes;
  bool is_done = false;
  std::optional<NotFinite> stop;
  int zeros = 0;
  for (double s = 0; s + kShell <= substitution.high && !is_done; s += kShell) {
    try {
      auto shell = computed(id, s, s + kShell);
      values.push_back(shell.value);
      sizes.push_back(shell.size);
      add(std::move(shell));
    } catch (const NotFinite& point) {
      // Not at the end, but within the shell: the range is to be divided there.
      if (kind == Substitution::Kind::end && std::fabs(point.x - origin) > 1e-9 * scale &&
          piece != kNoPiece && std::fabs(point.x - origin) > 1e3 * kEps * std::fabs(origin) &&
          sizes.size() < 8)
        throw;
      stop = point;
      break;
    }
    const auto n = sizes.size();
    const double negligible = 0.01 * kEps * static_cast<double>(size_);
    is_done = n >= 2 && size_ > 0 && sizes[n - 1] <= negligible && sizes[n - 2] <= negligible;
    zeros = sizes.back() == 0 ? zeros + 1 : 0;
    if (zeros >= 30) is_done = true;
    substitutions_[id].high = intervals_.back().high;
  }
  if (stop && std::isnan(stop->y) && kind == Substitution::Kind::tail) fail_not_finite(*stop);
  if (!is_done) close_shells(id, values, sizes, substitution);
}

void AdaptiveIntegral::close_shells(std::size_t id, const std::vector<double>& values,
                                    const std::vector<double>& sizes, const Substitution& substitution) {
  const auto n = sizes.size();
  const auto refuse = [&] {
    const bool has_signs = std::any_of(values.begin(), values.end(), [](double v) { return v < 0; }) &&
                           std::any_of(values.begin(), values.end(), [](double v) { return v > 0; });
    if (substitution.kind == Substitution::Kind::tail)
      fail(fmt::format("the integral does not converge: the function decays too slowly towards {}inf",
                       substitution.side < 0 ? "-" : ""),
           has_signs ? "for f(x) * sin(3 * x):  integrate(f, a, inf, weight: \"sine\", frequency: 3)"
                     : "use a finite end, or a function that decays faster than 1 / x");
    fail(fmt::format("the integral does not converge: the function grows too fast towards {}",
                     shortest(substitution.origin)),
         "weight: \"cauchy\", pole: x computes the principal value at a simple pole");
  };
  if (n < 5) {
    if (n > 0 && sizes[n - 1] > kEps * static_cast<double>(size_)) refuse();
    return;
  }
  // Few where the end is near, since the law of the fall may begin only there.
  const std::size_t m = n > 60 ? 10 : 4, half = m / 2;
  const double last = sizes[n - 1], between = sizes[n - 1 - half], first = sizes[n - 1 - m];
  if (last == 0) return;
  const auto ratio = [&](double a, double b) { return std::pow(a / b, 1.0 / static_cast<double>(half)); };
  const double r = ratio(last, between), before = ratio(between, first);
  constexpr double slow = 0.97;
  if (!(r < 1 - 1e-9)) refuse();
  const double drift = std::fabs(r - before) / static_cast<double>(half);
  const double doubt = drift / ((1 - r) * (1 - r));
  if (r > slow && doubt > 0.7) refuse();
  Interval rest;
  rest.substitution = id;
  rest.low = rest.high = substitutions_[id].high;
  rest.is_final = true;
  const double left = last * r / (1 - r);
  // If signs alternate, only the magnitude of the remainder is known.
  const bool is_steady = std::fabs(std::fabs(values[n - 1]) - last) <= 1e-6 * last;
  rest.value = is_steady ? std::copysign(left, values[n - 1]) : 0;
  rest.size = left;
  rest.error = is_steady ? left * std::min(1.0, 2 * doubt + 1e-6) : left;
  add(std::move(rest));
}

}  // namespace adaptive

}  // namespace quill
