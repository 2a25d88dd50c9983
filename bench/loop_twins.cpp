#include "loop_twins.h"

#include <algorithm>
#include <boost/random/mersenne_twister.hpp>
#include <boost/random/normal_distribution.hpp>
#include <cmath>
#include <numbers>
#include <string>

namespace twins {

Pair oscillation(const Pair& y) { return {y[1], -y[0]}; }

Pair runge_kutta(Pair (*f)(const Pair&), Pair y, int steps) {
  const double h = 0.0001;
  const auto along = [](const Pair& at, double factor, const Pair& k) {
    return Pair{at[0] + factor * k[0], at[1] + factor * k[1]};
  };
  for (int n = 0; n < steps; ++n) {
    const Pair k1 = f(y), k2 = f(along(y, h / 2, k1)), k3 = f(along(y, h / 2, k2)), k4 = f(along(y, h, k3));
    for (std::size_t i = 0; i < 2; ++i) y[i] += h / 6 * (k1[i] + 2 * k2[i] + 2 * k3[i] + k4[i]);
  }
  return y;
}

static double sinc(double x) {
  if (x == 0) return 1;
  double r = std::fmod(std::fabs(x), 2.0), sign = 1;
  if (r >= 1) {
    r -= 1;
    sign = -1;
  }
  if (r > 0.5) r = 1 - r;
  return sign * std::sin(std::numbers::pi * r) / (std::numbers::pi * std::fabs(x));
}

double sinc_matrix(std::span<double> u, int n) {
  for (int i = 1; i <= n; ++i)
    for (int j = 1; j <= n; ++j)
      u[static_cast<std::size_t>((i - 1) * n + j - 1)] = sinc(0.01 * i) * sinc(0.02 * j);
  return u[0];
}

std::int64_t longest_collatz(std::int64_t most) {
  std::int64_t best = 0;
  for (std::int64_t k = 1; k <= most; ++k) {
    std::int64_t n = k, length = 0;
    while (n > 1) {
      n = n % 2 == 0 ? n / 2 : 3 * n + 1;
      ++length;
    }
    best = std::max(best, length);
  }
  return best;
}

double escape_times(std::span<double> out, int n) {
  for (int i = 0; i < n; ++i)
    for (int j = 0; j < n; ++j) {
      const double a = -2 + 3.0 * i / (n - 1), b = -1.5 + 3.0 * j / (n - 1);
      double x = 0, y = 0;
      int k = 0;
      while (k < 50 && x * x + y * y < 4) {
        const double t = x * x - y * y + a;
        y = 2 * x * y + b;
        x = t;
        ++k;
      }
      out[static_cast<std::size_t>(i * n + j)] = k;
    }
  return out[0];
}

void solve_tridiagonal(std::span<const double> a, std::span<double> b, std::span<const double> c,
                       std::span<double> d, std::span<double> x) {
  const std::size_t n = b.size();
  for (std::size_t k = 1; k < n; ++k) {
    const double m = a[k] / b[k - 1];
    b[k] -= m * c[k - 1];
    d[k] -= m * d[k - 1];
  }
  x[n - 1] = d[n - 1] / b[n - 1];
  for (std::size_t k = n - 1; k-- > 0;) x[k] = (d[k] - c[k] * x[k + 1]) / b[k];
}

void shortest_paths(std::span<double> d, int n) {
  const auto at = [n](int i, int j) { return static_cast<std::size_t>(i * n + j); };
  for (int k = 0; k < n; ++k)
    for (int i = 0; i < n; ++i)
      for (int j = 0; j < n; ++j) {
        const double s = d[at(i, k)] + d[at(k, j)];
        if (s < d[at(i, j)]) d[at(i, j)] = s;
      }
}

double lorenz(int steps) {
  double x = 1, y = 1, z = 1;
  const double h = 0.001;
  for (int k = 0; k < steps; ++k) {
    const double a = 10 * (y - x), b = x * (28 - z) - y, c = x * y - 8.0 / 3 * z;
    x += h * a;
    y += h * b;
    z += h * c;
  }
  return x + y + z;
}

void recurrence(std::span<double> x) {
  x[0] = 1;
  x[1] = 0.5;
  for (std::size_t k = 2; k < x.size(); ++k) x[k] = 1.5 * x[k - 1] - 0.6 * x[k - 2] + 0.1;
}

void sieve(std::span<bool> is_prime) {
  const std::size_t n = is_prime.size() - 1;
  std::fill(is_prime.begin(), is_prime.end(), true);
  for (std::size_t k = 2; k * k <= n; ++k)
    if (is_prime[k])
      for (std::size_t j = k * k; j <= n; j += k) is_prime[j] = false;
}

__attribute__((optimize("no-tree-vectorize"))) void life(std::span<std::int32_t> g,
                                                         std::span<std::int32_t> next, int n) {
  const auto at = [&](int i, int j) { return g[static_cast<std::size_t>(i * n + j)]; };
  for (int i = 0; i < n; ++i) {
    const int up = (i - 1 + n) % n, down = (i + 1) % n;
    for (int j = 0; j < n; ++j) {
      const int left = (j - 1 + n) % n, right = (j + 1) % n;
      const int q = at(up, left) + at(up, j) + at(up, right) + at(i, left) + at(i, right) + at(down, left) +
                    at(down, j) + at(down, right);
      next[static_cast<std::size_t>(i * n + j)] = q == 3 || (q == 2 && at(i, j) == 1);
    }
  }
}

void relax(std::span<double> u, int n) {
  const auto at = [n](int i, int j) { return static_cast<std::size_t>(i * n + j); };
  for (int i = 1; i < n - 1; ++i)
    for (int j = 1; j < n - 1; ++j)
      u[at(i, j)] = 0.25 * (u[at(i - 1, j)] + u[at(i + 1, j)] + u[at(i, j - 1)] + u[at(i, j + 1)]);
}

void product(std::span<const double> a, std::span<double> c, int n) {
  const auto at = [n](int i, int j) { return static_cast<std::size_t>(i * n + j); };
  for (int i = 0; i < n; ++i)
    for (int k = 0; k < n; ++k) {
      const double s = a[at(i, k)];
      for (int j = 0; j < n; ++j) c[at(i, j)] += s * a[at(k, j)];
    }
}

double fibonacci(double n) { return n < 2 ? n : fibonacci(n - 1) + fibonacci(n - 2); }

int coprime_pairs(int n) {
  const auto divisor = [](std::int64_t a, std::int64_t b) {
    while (b != 0) {
      const auto t = a % b;
      a = b;
      b = t;
    }
    return a;
  };
  int count = 0;
  for (int i = 1; i <= n; ++i)
    for (int j = 1; j <= n; ++j) count += divisor(i, j) == 1;
  return count;
}

double bisected_roots(int n) {
  double sum = 0;
  for (int k = 1; k <= n; ++k) {
    double a = 0, b = k + 1;
    while (b - a > 1e-12 * k) {
      const double m = (a + b) / 2;
      (m * m - k > 0 ? b : a) = m;
    }
    sum += (a + b) / 2;
  }
  return sum;
}

void diffuse(std::span<double> u, int steps) {
  std::vector<double> next(u.begin(), u.end());
  for (int s = 0; s < steps; ++s) {
    for (std::size_t k = 1; k + 1 < u.size(); ++k) next[k] = u[k] + 0.1 * (u[k - 1] - 2 * u[k] + u[k + 1]);
    std::copy(next.begin(), next.end(), u.begin());
  }
}

double row_products(std::span<const double> u, std::span<const double> w, int rounds) {
  double sum = 0;
  for (int s = 0; s < rounds; ++s)
    for (std::size_t row = 0; row < u.size() / w.size(); ++row) {
      double product = 0;
      for (std::size_t k = 0; k < w.size(); ++k) product += u[row * w.size() + k] * w[k];
      sum += product;
    }
  return sum;
}

void attract(std::span<double> p, std::span<double> v, std::span<const double> m, int steps) {
  const std::size_t bodies = m.size();
  for (int s = 0; s < steps; ++s) {
    for (std::size_t i = 0; i < bodies; ++i)
      for (std::size_t j = 0; j < bodies; ++j) {
        if (i == j) continue;
        std::array<double, 3> d{};
        double square = 0;
        for (std::size_t k = 0; k < 3; ++k) {
          d[k] = p[3 * j + k] - p[3 * i + k];
          square += d[k] * d[k];
        }
        const double r = std::sqrt(square) + 0.01, cube = r * r * r;
        for (std::size_t k = 0; k < 3; ++k) v[3 * i + k] += 0.001 * m[j] * d[k] / cube;
      }
    for (std::size_t k = 0; k < 3 * bodies; ++k) p[k] += 0.001 * v[k];
  }
}

double random_walk(int steps) {
  boost::random::mt19937_64 engine(1);
  boost::random::normal_distribution<double> normal;
  double x = 0;
  for (int k = 0; k < steps; ++k) x += normal(engine);
  return x;
}

double item_sum(std::span<const double> depth, double rate, double offset, int n) {
  double s = 0;
  for (int k = 1; k <= n; ++k) s += depth[static_cast<std::size_t>(k % 1000)] * rate - offset;
  return s;
}

double oscillate(double step, int steps) {
  double x = 1, v = 0;
  for (int k = 0; k < steps; ++k) {
    const double next = x + step * v;
    v -= step * x;
    x = next;
  }
  return x;
}

double product_sum(std::span<const double> a, std::span<const double> b) {
  double s = 0;
  for (std::size_t k = 0; k < a.size(); ++k) s += a[k] * b[k];
  return s;
}

void count_cells(std::span<const std::int64_t> cells, std::span<double> counts) {
  for (const auto cell : cells) counts[static_cast<std::size_t>(cell - 1)] += 1;
}

double printing(std::span<const double> x) {
  std::string printed;
  double s = 0;
  for (std::size_t k = 0; k < x.size(); ++k) {
    s = s * 0.999 + std::sqrt(x[k] + s);
    if ((k + 1) % 1000 == 0) printed += "s = " + std::to_string(s) + "\n";
  }
  return s + static_cast<double>(printed.size());
}

double sum_of_every_second(std::span<const double> a) {
  double s = 0;
  for (auto k = std::ssize(a) - 1; k >= 0; k -= 2) s = s * 0.5 + a[static_cast<std::size_t>(k)];
  return s;
}

std::int64_t congruential(std::int64_t seed, int count) {
  for (int k = 0; k < count; ++k) seed = seed * 48271 % 2147483647;
  return seed;
}

std::complex<double> quotients(std::complex<double> z, std::complex<double> c, int count) {
  for (int k = 0; k < count; ++k) z = (z * z + c) / (z * 2.0 + c);
  return z;
}

void turn(std::array<double, 3>& p, const std::array<double, 3>& q, int count) {
  for (int k = 0; k < count; ++k) {
    const auto [a, b, c] = p;
    const double size = std::sqrt(a * a + b * b + c * c);
    p = {b * q[2] - c * q[1] + a / size, c * q[0] - a * q[2] + b / size, a * q[1] - b * q[0] + c / size};
  }
}

}  // namespace twins
