#include "numerics/transforms.h"

#include <fftw3.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <numbers>

#include "array/elementwise.h"
#include "array/index.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "base/interrupt.h"
#include "numerics/linear_algebra.h"

namespace quill {

namespace {

// Cached plans; FFTW runs them on new arrays of equal alignment.
class Plans {
 public:
  ~Plans() {
    for (const auto& [key, plan] : plans_) fftw_destroy_plan(plan);
  }
  template <class Make>
  fftw_plan get(const std::vector<Index>& key, Make make) {
    if (const auto found = plans_.find(key); found != plans_.end()) return found->second;
    constexpr std::size_t most = 64;
    if (plans_.size() >= most) {
      fftw_destroy_plan(plans_.begin()->second);
      plans_.erase(plans_.begin());
    }
    fftw_plan plan = make();
    if (!plan) fail("the transform cannot be planned");
    return plans_[key] = plan;
  }

 private:
  std::map<std::vector<Index>, fftw_plan> plans_;
};

Plans& plans() {
  static Plans all;
  return all;
}

fftw_complex* in_fftw(Complex* p) { return reinterpret_cast<fftw_complex*>(p); }

// The axes of an array in row order as FFTW describes them: the transformed one, and the others.
struct Layout {
  fftw_iodim64 along{};
  std::vector<fftw_iodim64> others;
};

Layout layout_of(const Array& in, const Array& out, int axis) {
  Layout l;
  for (int i = 0; i < in.axes(); ++i) {
    const fftw_iodim64 d{in.extent(i), in.strides()[i], out.strides()[i]};
    if (i == axis)
      l.along = d;
    else
      l.others.push_back(d);
  }
  return l;
}

enum class Kind : Index { complex_forward, complex_backward, real_forward, real_backward };

std::vector<Index> key_of(Kind kind, const Layout& l, const void* in, const void* out) {
  const auto alignment = [](const void* p) {
    return static_cast<Index>(reinterpret_cast<std::uintptr_t>(p) % 64);
  };
  std::vector<Index> key = {
      static_cast<Index>(kind), alignment(in), alignment(out), l.along.n, l.along.is, l.along.os};
  for (const auto& d : l.others) key.insert(key.end(), {d.n, d.is, d.os});
  return key;
}

// In place along one axis of a row-major complex array.
void transform_axis(Array& x, int axis, Direction direction) {
  if (x.size() == 0) return;
  const auto l = layout_of(x, x, axis);
  Complex* data = x.mutable_data<Complex>();
  const bool forward = direction == Direction::forward;
  const auto plan =
      plans().get(key_of(forward ? Kind::complex_forward : Kind::complex_backward, l, data, data), [&] {
        return fftw_plan_guru64_dft(1, &l.along, static_cast<int>(l.others.size()), l.others.data(),
                                    in_fftw(data), in_fftw(data), forward ? FFTW_FORWARD : FFTW_BACKWARD,
                                    FFTW_ESTIMATE);
      });
  poll_interrupt();
  fftw_execute_dft(plan, in_fftw(data), in_fftw(data));
}

Array checked(const Array& x, ElementType type, std::string_view what) {
  if (!is_numeric(x.type())) fail(fmt::format("{} takes numbers, not {}", what, name_of(x.type())));
  if (x.axes() == 0) fail(fmt::format("{} takes an array with axes, not a single number", what));
  refuse_not_finite(x, "the array");
  auto out = x.converted(type).copied();
  out.label.reset();
  return out;
}

// Fills the frequencies above the middle with the conjugates of those below.
Array with_conjugates(const Array& half, Index n, int axis) {
  Shape shape = half.shape();
  shape[axis] = n;
  Array out(ElementType::complex128, shape);
  const auto run_along = [&](Index first, Index count, Index step) {
    std::vector<Subscript> s;
    for (const auto extent : shape) s.push_back(everything(extent));
    s[static_cast<std::size_t>(axis)] = {Subscript::Kind::run, first, step, count, {}};
    return s;
  };
  const Index known = half.extent(axis), missing = n - known;
  assign(out, run_along(0, known, 1), half);
  // X[n - k] = conj(X[k]) for k = 1 … missing.
  if (missing > 0)
    assign(out, run_along(n - 1, missing, -1), apply(Unary::conj, select(half, run_along(1, missing, 1))));
  return out;
}

Array divided(const Array& x, Index n) { return apply(Binary::divide, x, static_cast<double>(n)); }

bool is_symmetric(const Array& spectrum, std::span<const int> axes) {
  // Position k against position (n - k) mod n on every axis.
  auto turned = spectrum;
  for (const int axis : axes) turned = rotated(reversed(turned, axis), 1, axis);
  const auto size = apply(Unary::abs, spectrum);
  const auto difference = apply(Unary::abs, apply(Binary::subtract, spectrum, apply(Unary::conj, turned)));
  const auto largest = [](const Array& a) { return *reduce(Reduction::maximum, a).data<double>(); };
  constexpr double rounding = 64 * std::numeric_limits<double>::epsilon();
  return spectrum.size() == 0 || largest(difference) <= rounding * largest(size);
}

}  // namespace

Array real_fourier(const Array& x, int axis) {
  if (x.type() == ElementType::complex128)
    fail("the samples are complex", "fft(x) transforms complex numbers; real(x) returns their real parts");
  auto samples = checked(x, ElementType::float64, "real_fft");
  Shape shape = x.shape();
  const Index n = shape[axis];
  if (n == 0) fail("the axis of the transform is empty");
  shape[axis] = n / 2 + 1;
  Array out(ElementType::complex128, shape);
  if (out.size() == 0) return out;
  const auto l = layout_of(samples, out, axis);
  double* from = samples.mutable_data<double>();
  Complex* to = out.mutable_data<Complex>();
  const auto plan = plans().get(key_of(Kind::real_forward, l, from, to), [&] {
    return fftw_plan_guru64_dft_r2c(1, &l.along, static_cast<int>(l.others.size()), l.others.data(), from,
                                    in_fftw(to), FFTW_ESTIMATE | FFTW_PRESERVE_INPUT);
  });
  poll_interrupt();
  fftw_execute_dft_r2c(plan, from, in_fftw(to));
  return out;
}

void RealTransform::Work::Free::operator()(void* p) const { fftw_free(p); }

RealTransform::Work RealTransform::work() const {
  const auto n = static_cast<std::size_t>(n_);
  Work w;
  w.samples.reset(fftw_alloc_real(n));
  w.half.reset(reinterpret_cast<Complex*>(fftw_alloc_complex(n / 2 + 1)));
  if (!w.samples || !w.half) throw std::bad_alloc();
  return w;
}

RealTransform::RealTransform(Index n) : n_(n) {
  const auto w = work();
  plan_ = fftw_plan_dft_r2c_1d(static_cast<int>(n), w.samples.get(), in_fftw(w.half.get()), FFTW_ESTIMATE);
  if (!plan_) fail("the transform cannot be planned");
}

RealTransform::~RealTransform() { fftw_destroy_plan(static_cast<fftw_plan>(plan_)); }

void RealTransform::operator()(Work& work) const {
  fftw_execute_dft_r2c(static_cast<fftw_plan>(plan_), work.samples.get(), in_fftw(work.half.get()));
}

Array inverse_real_fourier(const Array& half, Index n, int axis) {
  auto spectrum = checked(half, ElementType::complex128, "real_ifft");
  if (n < 1 || spectrum.extent(axis) != n / 2 + 1)
    fail(fmt::format("{} frequencies do not belong to {} real numbers, which have {}", spectrum.extent(axis),
                     n, std::max<Index>(n, 0) / 2 + 1));
  Shape shape = half.shape();
  shape[axis] = n;
  Array out(ElementType::float64, shape);
  if (out.size() == 0) return out;
  auto l = layout_of(spectrum, out, axis);
  l.along.n = n;
  Complex* from = spectrum.mutable_data<Complex>();
  double* to = out.mutable_data<double>();
  const auto plan = plans().get(key_of(Kind::real_backward, l, from, to), [&] {
    return fftw_plan_guru64_dft_c2r(1, &l.along, static_cast<int>(l.others.size()), l.others.data(),
                                    in_fftw(from), to, FFTW_ESTIMATE);
  });
  poll_interrupt();
  fftw_execute_dft_c2r(plan, in_fftw(from), to);
  return divided(out, n);
}

Array fourier(const Array& x, std::span<const int> axes, Direction direction) {
  const bool forward = direction == Direction::forward;
  const bool real = x.type() != ElementType::complex128;
  Array out;
  std::size_t done = 0;
  if (forward && real && is_numeric(x.type()) && x.axes() > 0 && x.extent(axes[0]) > 0) {
    out = with_conjugates(real_fourier(x, axes[0]), x.extent(axes[0]), axes[0]);
    done = 1;
  } else {
    out = checked(x, ElementType::complex128, forward ? "fft" : "ifft");
  }
  Index count = 1;
  for (std::size_t k = 0; k < axes.size(); ++k) {
    if (out.extent(axes[k]) == 0) fail("the axis of the transform is empty");
    count *= out.extent(axes[k]);
    if (k >= done) transform_axis(out, axes[k], direction);
  }
  return forward ? out : divided(out, count);
}

Array inverse_fourier(const Array& spectrum, std::span<const int> axes) {
  auto out = fourier(spectrum, axes, Direction::backward);
  return is_symmetric(spectrum.converted(ElementType::complex128), axes) ? apply(Unary::real, out) : out;
}

Array fourier_frequencies(Index n, double spacing) {
  if (n < 1) fail(fmt::format("a transform needs at least one point, not {}", n));
  if (!(spacing > 0) || !std::isfinite(spacing))
    fail(fmt::format("the spacing of samples must be a positive number, not {}", shortest(spacing)));
  Array out(ElementType::float64, {n});
  for (Index k = 0; k < n; ++k)
    out.mutable_data<double>()[k] =
        static_cast<double>(k < (n + 1) / 2 ? k : k - n) / (static_cast<double>(n) * spacing);
  return out;
}

namespace {

template <class T>
Array direct_convolution(const Array& a, const Array& b) {
  auto out = Array::filled<T>({a.size() + b.size() - 1}, T(0));
  T* to = out.template mutable_data<T>();
  const T* x = a.data<T>();
  const T* y = b.data<T>();
  for (Index i = 0; i < a.size(); ++i) {
    if (i % 4096 == 0) poll_interrupt();
    for (Index k = 0; k < b.size(); ++k) to[i + k] += x[i] * y[k];
  }
  return out;
}

// Filled up with zeros.
Array lengthened(const Array& v, Index n) {
  const Array parts[] = {v, Array::filled<double>({n - v.size()}, 0.0)};
  return join(parts, 0);
}

Array full_convolution(const Array& a, const Array& b) {
  const bool complex = a.type() == ElementType::complex128;
  constexpr Index few = 64;
  if (std::min(a.size(), b.size()) <= few)
    return complex ? direct_convolution<Complex>(a, b) : direct_convolution<double>(a, b);
  // A length of small factors, for speed.
  const Index wanted = a.size() + b.size() - 1;
  Index n = 1;
  while (n < wanted) n *= 2;
  if (n / 4 * 3 >= wanted) n = n / 4 * 3;
  const int axis[] = {0};
  if (complex)
    return fourier(apply(Binary::multiply, fourier(lengthened(a, n), axis, Direction::forward),
                         fourier(lengthened(b, n), axis, Direction::forward)),
                   axis, Direction::backward);
  return inverse_real_fourier(
      apply(Binary::multiply, real_fourier(lengthened(a, n), 0), real_fourier(lengthened(b, n), 0)), n, 0);
}

Array piece(const Array& v, Index first, Index count) {
  const Subscript s[] = {{Subscript::Kind::run, first, 1, count, {}}};
  return select(v, s);
}

}  // namespace

Array convolve(const Array& left, const Array& right, Overlap overlap) {
  const bool complex = left.type() == ElementType::complex128 || right.type() == ElementType::complex128;
  const auto type = complex ? ElementType::complex128 : ElementType::float64;
  const auto a = checked(left, type, "convolve"), b = checked(right, type, "convolve");
  if (a.axes() != 1 || b.axes() != 1)
    fail(fmt::format("convolve requires two vectors, not arrays of shapes {} and {}", text_of(a.shape()),
                     text_of(b.shape())));
  if (a.size() == 0 || b.size() == 0) fail("the convolution of an empty vector is undefined");
  const auto all = piece(full_convolution(a, b), 0, a.size() + b.size() - 1);
  if (overlap == Overlap::full) return all;
  if (overlap == Overlap::same) return piece(all, (b.size() - 1) / 2, a.size());
  const Index shorter = std::min(a.size(), b.size());
  return piece(all, shorter - 1, std::max(a.size(), b.size()) - shorter + 1);
}

Array convolve_matrices(const Array& left, const Array& right, Overlap overlap) {
  const bool complex = left.type() == ElementType::complex128 || right.type() == ElementType::complex128;
  const auto type = complex ? ElementType::complex128 : ElementType::float64;
  const auto a = checked(left, type, "convolve"), b = checked(right, type, "convolve");
  if (a.size() == 0 || b.size() == 0) fail("the convolution of an empty matrix is undefined");
  const Index rows = a.extent(0) + b.extent(0) - 1, columns = a.extent(1) + b.extent(1) - 1;
  const auto placed = [&](const Array& m, ElementType of, Index first_row, Index first_column) {
    auto out = of == ElementType::complex128 ? Array::filled<Complex>({rows, columns}, Complex(0))
                                             : Array::filled<double>({rows, columns}, 0.0);
    const Subscript s[] = {{Subscript::Kind::run, first_row, 1, m.extent(0), {}},
                           {Subscript::Kind::run, first_column, 1, m.extent(1), {}}};
    assign(out, s, m);
    return out;
  };
  Array all;
  constexpr Index few = 128;
  const auto& small = a.size() < b.size() ? a : b;
  const auto& large = a.size() < b.size() ? b : a;
  if (small.size() <= few) {
    // Shifted copies of the larger one, which keeps integers exact.
    all = placed(Array::filled<double>({0, 0}, 0.0), type, 0, 0);
    for (Index i = 0; i < small.extent(0); ++i)
      for (Index j = 0; j < small.extent(1); ++j) {
        poll_interrupt();
        const auto weight = complex ? Array::of<Complex>({}, std::span(&small.at<Complex>({i, j}), 1))
                                    : Array::single(small.at<double>({i, j}));
        all = apply(Binary::add, all, placed(apply(Binary::multiply, large, weight), type, i, j));
      }
  } else {
    const int axes[] = {0, 1};
    all = fourier(apply(Binary::multiply, fourier(placed(a, type, 0, 0), axes, Direction::forward),
                        fourier(placed(b, type, 0, 0), axes, Direction::forward)),
                  axes, Direction::backward);
    if (!complex) all = apply(Unary::real, all);
  }
  const auto part = [&](Index first_row, Index first_column, Index r, Index c) {
    const Subscript s[] = {{Subscript::Kind::run, first_row, 1, r, {}},
                           {Subscript::Kind::run, first_column, 1, c, {}}};
    return select(all, s).compact();
  };
  if (overlap == Overlap::full) return all;
  if (overlap == Overlap::same)
    return part((b.extent(0) - 1) / 2, (b.extent(1) - 1) / 2, a.extent(0), a.extent(1));
  if (a.extent(0) < b.extent(0) || a.extent(1) < b.extent(1))
    fail(fmt::format("overlap \"valid\" needs a second matrix within the first, not shapes {} and {}",
                     text_of(a.shape()), text_of(b.shape())));
  return part(b.extent(0) - 1, b.extent(1) - 1, a.extent(0) - b.extent(0) + 1, a.extent(1) - b.extent(1) + 1);
}

Array correlate(const Array& a, const Array& b, Overlap overlap) {
  if (b.axes() != 1)
    fail(fmt::format("correlate requires two vectors, not an array of shape {}", text_of(b.shape())));
  const auto turned = reversed(b, 0);
  return convolve(a, b.type() == ElementType::complex128 ? apply(Unary::conj, turned) : turned, overlap);
}

Array window_weights(Window window, Index n, bool periodic) {
  if (n < 1) fail(fmt::format("a window needs at least one weight, not {}", n));
  Array out(ElementType::float64, {n});
  const auto period = static_cast<double>(periodic ? n : std::max<Index>(n - 1, 1));
  for (Index k = 0; k < n; ++k) {
    const double t = n == 1 ? 0.5 : static_cast<double>(k) / period, angle = 2 * std::numbers::pi * t;
    double w = 1;
    switch (window) {
      case Window::rectangular: break;
      case Window::bartlett: w = 1 - std::fabs(2 * t - 1); break;
      case Window::hann: w = 0.5 - 0.5 * std::cos(angle); break;
      case Window::hamming: w = 0.54 - 0.46 * std::cos(angle); break;
      case Window::flat_top:
        w = 0.21557895 - 0.41663158 * std::cos(angle) + 0.277263158 * std::cos(2 * angle) -
            0.083578947 * std::cos(3 * angle) + 0.006947368 * std::cos(4 * angle);
        break;
      case Window::kaiser: {
        constexpr double beta = 8.6;
        const double u = 2 * t - 1;
        w = std::cyl_bessel_i(0, beta * std::sqrt(std::max(0.0, 1 - u * u))) / std::cyl_bessel_i(0, beta);
        break;
      }
      case Window::blackman: w = 0.42 - 0.5 * std::cos(angle) + 0.08 * std::cos(2 * angle); break;
    }
    out.mutable_data<double>()[k] = window == Window::flat_top ? w : std::max(w, 0.0);
  }
  return out;
}

PowerSpectrum power_spectrum(const Array& x, double spacing, Window window, bool two_sided) {
  if (x.axes() != 1)
    fail(fmt::format("power_spectrum requires a vector, not an array of shape {}", text_of(x.shape())));
  const Index n = x.size();
  const auto frequencies = fourier_frequencies(std::max<Index>(n, 1), spacing);
  const auto weights = window_weights(window, std::max<Index>(n, 1), true);
  const auto half = real_fourier(apply(Binary::multiply, x, weights), 0);
  const auto size = apply(Unary::abs, half);
  auto power = apply(Binary::multiply, size, size);
  double* p = power.mutable_data<double>();
  // Negative frequencies are added to positive ones; 0 and, for even n, the last have no counterpart.
  for (Index k = 1; k < power.size(); ++k)
    if (2 * k != n) p[k] *= 2;
  // Corrects for the window: the sum is the mean square of the samples.
  const double seen = *reduce(Reduction::sum, power).data<double>() / (static_cast<double>(n) * spacing);
  const double wanted =
      *reduce(Reduction::sum, apply(Binary::multiply, x, x)).data<double>() / static_cast<double>(n);
  const double made_up = *reduce(Reduction::sum, apply(Binary::multiply, weights, weights)).data<double>();
  power = apply(Binary::multiply, power, seen > 0 ? wanted / seen : spacing / made_up);
  if (!two_sided) return {apply(Unary::abs, piece(frequencies, 0, n / 2 + 1)), power};
  Array both(ElementType::float64, {n});
  p = power.mutable_data<double>();
  double* to = both.mutable_data<double>();
  for (Index k = 0; k < n; ++k) {
    const Index at = std::min(k, n - k);
    to[k] = at == 0 || 2 * at == n ? p[at] : p[at] / 2;
  }
  return {frequencies, both};
}

}  // namespace quill
