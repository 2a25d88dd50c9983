// Scales of axes.
#pragma once

namespace quill {

struct Limits {
  double low = 0, high = 1;
  bool operator==(const Limits&) const = default;
};

// time: linear in seconds since 1970, UTC.
enum class ScaleKind : unsigned char { linear, log, signed_log, time };

struct Scale {
  Limits limits;
  ScaleKind kind = ScaleKind::linear;
  bool reverse = false;
  // Relative position of a value between the ends of the axis, 0 to 1; nan if it has none (0 on a log axis).
  double share(double value) const;
  // Value at a relative position.
  double at(double share) const;
  // For signed_log: the axis is approximately linear up to this magnitude.
  double threshold() const;
};

// Limits a little wider than the data; reasonable ones for a single value or none. `tight` ends stay.
Limits padded_limits(double low, double high, ScaleKind kind = ScaleKind::linear, bool tight_low = false,
                     bool tight_high = false);

}  // namespace quill
