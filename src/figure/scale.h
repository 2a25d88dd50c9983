// How values are spread along an axis.
#pragma once

namespace quill {

struct Limits {
  double low = 0, high = 1;
  bool operator==(const Limits&) const = default;
};

// time: seconds since 1970, UTC, spread as linear ones are.
enum class ScaleKind : unsigned char { linear, log, signed_log, time };

struct Scale {
  Limits limits;
  ScaleKind kind = ScaleKind::linear;
  bool reverse = false;
  // Where a value stands between the ends of the axis, 0 to 1; NaN when it has no place (0 on a log axis).
  double share(double value) const;
  // The value there.
  double at(double share) const;
  // Of signed_log: around 0 the axis is about linear up to here.
  double threshold() const;
};

// Limits around data: a little wider than the data; sensible ones for a single value or none. The ends that
// are `tight` stay.
Limits padded_limits(double low, double high, ScaleKind kind = ScaleKind::linear, bool tight_low = false,
                     bool tight_high = false);

}  // namespace quill
