#include "loop_benchmarks.h"

#include <benchmark/benchmark.h>

#include <functional>
#include <memory>
#include <numeric>
#include <string>

#include "loop_twins.h"
#include "statement.h"

namespace {

void pair(const std::string& name, const std::string& before, const std::string& statement,
          const std::function<void()>& twin) {
  const auto add = [&](const char* who, auto run) {
    benchmark::RegisterBenchmark((name + "/" + who).c_str(), run)
        ->Unit(benchmark::kMillisecond)
        ->Repetitions(5)
        ->UseRealTime()
        ->MinTime(0.1);
  };
  // Once more before: what is measured is the loop, not making code of it.
  add("script",
      [=](benchmark::State& state) { time_statement(state, before + statement + "\n", statement); });
  add("c++", [=](benchmark::State& state) {
    for (auto _ : state) {
      twin();
      benchmark::ClobberMemory();
    }
  });
}

template <class T>
std::shared_ptr<std::vector<T>> held(std::size_t n, T value) {
  return std::make_shared<std::vector<T>>(n, value);
}

std::shared_ptr<std::vector<std::int64_t>> cell_numbers() {
  auto out = held(1000000, std::int64_t{1});
  for (std::size_t k = 0; k < out->size(); ++k)
    (*out)[k] = static_cast<std::int64_t>((k + 1) * 7919 % 1000 + 1);
  return out;
}

void register_scalar_loops() {
  pair("Runge-Kutta steps, 2-vector, function passed, 2·10^5", R"(
fn steps(f, y, n) {
  h = 0.0001
  for k in 1..n {
    k1 = f(y)
    k2 = f(y + h/2*k1)
    k3 = f(y + h/2*k2)
    k4 = f(y + h*k3)
    y += h/6*(k1 + 2*k2 + 2*k3 + k4)
  }
  return y
}
fn turn(y) = [y[2], -y[1]]
)",
       "y = steps(turn, [1, 0], 200000)", [] {
         benchmark::DoNotOptimize(twins::runge_kutta(twins::oscillation, {1, 0}, 200000));
       });
  pair("Lorenz system, function returning a tuple, 10^5 steps", R"(
fn slopes(x, y, z) = (10 * (y - x), x * (28 - z) - y, x*y - 8/3*z)
fn follow(n) {
  x, y, z = (1, 1, 1)
  h = 0.001
  for k in 1..n {
    a, b, c = slopes(x, y, z)
    x += h*a
    y += h*b
    z += h*c
  }
  return x + y + z
}
)",
       "s = follow(100000)", [] { benchmark::DoNotOptimize(twins::lorenz(100000)); });
  pair("Collatz lengths up to 10^5", R"(
fn longest(m) {
  best = 0
  for k in 1..m {
    n = k
    c = 0
    while n > 1 {
      if n % 2 == 0 { n = n / 2 } else { n = 3*n + 1 }
      c += 1
    }
    if c > best { best = c }
  }
  return best
}
)",
       "s = longest(100000)", [] { benchmark::DoNotOptimize(twins::longest_collatz(100000)); });
  const auto out = held(90000, 0.0);
  pair("escape times, 300×300", R"(
fn escape(n) {
  out = zeros(n, n)
  for i in 1..n { for j in 1..n {
    a = -2 + 3*(i-1)/(n-1)
    b = -1.5 + 3*(j-1)/(n-1)
    x = 0
    y = 0
    k = 0
    while k < 50 and x*x + y*y < 4 {
      t = x*x - y*y + a
      y = 2*x*y + b
      x = t
      k += 1
    }
    out[i, j] = k
  } }
  return out
}
)",
       "u = escape(300)", [out] { benchmark::DoNotOptimize(twins::escape_times(*out, 300)); });
}

void register_array_loops() {
  // The scripts make their arrays anew; so do the twins.
  constexpr std::size_t million = 1000000;
  pair("double loop with sinc, 10^6", R"(
fn fill(n) {
  u = zeros(n, n)
  for i in 1..n { for j in 1..n { u[i, j] = sinc(0.01*i)*sinc(0.02*j) } }
  return u
}
)",
       "u = fill(1000)", [] {
         std::vector<double> u(million);
         twins::sinc_matrix(u, 1000);
         benchmark::DoNotOptimize(u.data());
       });
  const auto a = held(500000, -1.0), b = held(500000, 4.0), c = held(500000, -1.0), d = held(500000, 1.0),
             x = held(500000, 0.0);
  pair("tridiagonal solution, 5·10^5", R"(
fn solve_rows(a, b, c, d) {
  n = length(b)
  for k in 2..n {
    m = a[k] / b[k-1]
    b[k] -= m * c[k-1]
    d[k] -= m * d[k-1]
  }
  x = zeros(n)
  x[n] = d[n] / b[n]
  for j in 1..n-1 {
    k = n - j
    x[k] = (d[k] - c[k] * x[k+1]) / b[k]
  }
  return x
}
a = -ones(500000)
b = 4 * ones(500000)
)",
       "x = solve_rows(a, b, a, b)", [=] {
         std::fill(b->begin(), b->end(), 4.0);
         std::fill(d->begin(), d->end(), 4.0);
         twins::solve_tridiagonal(*a, *b, *c, *d, *x);
       });
  const auto roads = held(16900, 0.0), before = held(16900, 0.0);
  for (int i = 1; i <= 130; ++i)
    for (int j = 1; j <= 130; ++j)
      (*before)[static_cast<std::size_t>((i - 1) * 130 + j - 1)] = (i * 7 + j * 13) % 101 + 1;
  pair("all-pairs shortest paths, 130 nodes", R"(
fn shortest(d) {
  n = length(d)
  for k in 1..n { for i in 1..n { for j in 1..n {
    s = d[i, k] + d[k, j]
    if s < d[i, j] { d[i, j] = s }
  } } }
  return d
}
d = (down(1..130) * 7 + across(1..130) * 13) % 101 + 1
)",
       "e = shortest(d)", [=] {
         *roads = *before;
         twins::shortest_paths(*roads, 130);
       });
  pair("two-term recurrence, 10^6", R"(
fn recur(x) {
  x[1] = 1
  x[2] = 0.5
  for k in 3..length(x) { x[k] = 1.5*x[k-1] - 0.6*x[k-2] + 0.1 }
  return x
}
)",
       "x = recur(zeros(1000000))", [] {
         std::vector<double> row(million);
         twins::recurrence(row);
         benchmark::DoNotOptimize(row.data());
       });
  pair("prime sieve, bool array, 5·10^5", R"(
fn sift(n) {
  p = repeat(true, n)
  k = 2
  while k*k <= n {
    if p[k] {
      j = k*k
      while j <= n {
        p[j] = false
        j += k
      }
    }
    k += 1
  }
  return p
}
)",
       "p = sift(500000)", [] {
         const std::unique_ptr<bool[]> primes(new bool[500001]);
         twins::sieve({primes.get(), 500001});
         benchmark::DoNotOptimize(primes.get());
       });
  const auto cells = held(14400, std::int32_t{1}), next = held(14400, std::int32_t{0});
  pair("game of life, int32 120×120, 10 rounds, C++ without vectorisation", R"(
fn life(g, rounds) {
  n = length(g)
  for t in 1..rounds {
    h = g
    for i in 1..n {
      up = (i - 2 + n) % n + 1
      down = i % n + 1
      for j in 1..n {
        left = (j - 2 + n) % n + 1
        right = j % n + 1
        q = g[up, left] + g[up, j] + g[up, right] + g[i, left] + g[i, right] + g[down, left] + g[down, j] + g[down, right]
        if q == 3 or (q == 2 and g[i, j] == 1) { h[i, j] = 1 } else { h[i, j] = 0 }
      }
    }
    g = h
  }
  return g
}
g = int32(outer(1..120, 1..120) % 7 < 3)
)",
       "e = life(g, 10)", [=] {
         for (int round = 0; round < 10; ++round) {
           twins::life(*cells, *next, 120);
           cells->swap(*next);
         }
       });
  pair("relaxation sweep by loops, 1000²", R"(
fn relax(u) {
  n = length(u)
  for i in 2..n-1 { for j in 2..n-1 { u[i, j] = 0.25 * (u[i-1, j] + u[i+1, j] + u[i, j-1] + u[i, j+1]) } }
  return u
}
)",
       "u = relax(zeros(1000, 1000))", [] {
         std::vector<double> u(million);
         twins::relax(u, 1000);
         benchmark::DoNotOptimize(u.data());
       });
}

void register_calls() {
  pair("Fibonacci numbers by recursion, 27",
       "fn fib(n) = if n < 2 then n else fib(n-1) + fib(n-2)\ns = fib(27)\n", "s = fib(27)",
       [] { benchmark::DoNotOptimize(twins::fibonacci(27)); });
  pair("pairs without a common divisor, 500²", R"(
fn divisor(a, b) {
  while b != 0 {
    t = a % b
    a = b
    b = t
  }
  return a
}
fn count(n) {
  c = 0
  for i in 1..n { for j in 1..n { if divisor(i, j) == 1 { c += 1 } } }
  return c
}
)",
       "s = count(500)", [] { benchmark::DoNotOptimize(twins::coprime_pairs(500)); });
  pair("roots by bisection, function passed, 10^4", R"(
fn bisect(f, a, b, width) {
  while b - a > width {
    m = (a + b) / 2
    if f(m) > 0 { b = m } else { a = m }
  }
  return (a + b) / 2
}
fn many(n) {
  s = 0
  for k in 1..n { s += bisect(fn(x) = x^2 - k, 0, k + 1, 1e-12 * k) }
  return s
}
)",
       "s = many(10000)", [] { benchmark::DoNotOptimize(twins::bisected_roots(10000)); });
  pair("random walk, 10^6 normal steps", R"(
fn walk(n) {
  x = 0
  for k in 1..n { x += random_normal() }
  return x
}
)",
       "s = walk(1000000)", [] { benchmark::DoNotOptimize(twins::random_walk(1000000)); });
}

void register_rows() {
  pair("matrix product by three loops, 300³", R"(
fn product_of(a) {
  n = length(a)
  c = zeros(n, n)
  for i in 1..n { for k in 1..n {
    s = a[i, k]
    for j in 1..n { c[i, j] += s * a[k, j] }
  } }
  return c
}
a = outer(1..300, 1..300) / 1000
)",
       "c = product_of(a)", [a = held(90000, 0.5)] {
         std::vector<double> c(90000);
         twins::product(*a, c, 300);
         benchmark::DoNotOptimize(c.data());
       });
  pair("diffusion on 100 cells by parts, 10^4 steps", R"(
fn diffuse(u, n) {
  for k in 1..n { u[2..last-1] = u[2..last-1] + 0.1 * (u[1..last-2] - 2*u[2..last-1] + u[3..last]) }
  return u
}
start = (1..100) % 7
)",
       "u = diffuse(start, 10000)", [] {
         std::vector<double> u(100, 1.0);
         twins::diffuse(u, 10000);
         benchmark::DoNotOptimize(u.data());
       });
  pair("products of rows of 50 with a vector, 2·10^5", R"(
fn rows(u, w, n) {
  s = 0
  for k in 1..n { for i in 1..20 { s += sum(u[i, ..] * w) } }
  return s
}
u = outer(1..20, 1..50) / 10
w = (1..50) / 3
)",
       "s = rows(u, w, 10000)", [u = held(1000, 0.1), w = held(50, 0.3)] {
         benchmark::DoNotOptimize(twins::row_products(*u, *w, 10000));
       });
  pair("five bodies in three dimensions by rows, 10^4 steps", R"(
fn attract(p, v, m, n) {
  for s in 1..n {
    for i in 1..5 { for j in 1..5 { if i != j {
      d = p[j, ..] - p[i, ..]
      r = sqrt(sum(d^2)) + 0.01
      v[i, ..] += 0.001 * m[j] * d / r^3
    } } }
    p += 0.001 * v
  }
  return p
}
p = outer(1..5, [1, 0.5, 2]) % 3
)",
       "e = attract(p, zeros(5, 3), ones(5), 10000)", [] {
         std::vector<double> p, v(15), m(5, 1.0);
         for (int k = 0; k < 15; ++k) p.push_back(k * 7 % 5 * 0.6);
         twins::attract(p, v, m, 10000);
         benchmark::DoNotOptimize(p.data());
       });
}

// Values that are not local: of the module, of records and tables.
void register_values() {
  pair("function that reads an array and a record of the module, 10^6", R"(
depth = (1..1000) % 7 * 0.5
setting = (rate: 0.25, offset: 3)
fn item(k) = depth[k % 1000 + 1] * setting.rate - setting.offset
fn total(n) {
  s = 0
  for k in 1..n { s += item(k) }
  return s
}
)",
       "s = total(1000000)",
       [depth = held(1000, 0.5)] { benchmark::DoNotOptimize(twins::item_sum(*depth, 0.25, 3, 1000000)); });
  pair("state in a record, 10^6 steps", R"(
fn follow(p, n) {
  s = (x: 1, v: 0)
  for k in 1..n { s = (x: s.x + p.step * s.v, v: s.v - p.step * s.x) }
  return s.x
}
)",
       "x = follow((step: 0.001), 1000000)",
       [] { benchmark::DoNotOptimize(twins::oscillate(0.001, 1000000)); });
  pair("columns of a table, 10^6 rows", R"(
fn flux(t) {
  s = 0
  for k in 1..length(t.speed) { s += t.speed[k] * t.area[k] }
  return s
}
t = (speed: (1..1000000) * 0.5, area: (1..1000000) % 9 * 1.0)
)",
       "s = flux(t)", [speed = held(1000000, 0.5), area = held(1000000, 2.0)] {
         benchmark::DoNotOptimize(twins::product_sum(*speed, *area));
       });
  pair("counts by an integer array, 10^6", R"(
fn counts(cells) {
  h = zeros(1000)
  for k in 1..length(cells) { h[cells[k]] += 1 }
  return h
}
cells = int64((1..1000000) * 7919 % 1000 + 1)
)",
       "h = counts(cells)", [cells = cell_numbers()] {
         std::vector<double> h(1000);
         twins::count_cells(*cells, h);
         benchmark::DoNotOptimize(h.data());
       });
}

// Steps, types and functions that are not those of plain numbers.
void register_functions() {
  pair("loop with a printed number every 1000th round, 10^6", R"(
fn printing(x) {
  s = 0
  for k in 1..length(x) {
    s = s * 0.999 + sqrt(x[k] + s)
    if k % 1000 == 0 { show(s) }
  }
  return s
}
x = zeros(1000000) + 0.5
)",
       "s = printing(x)", [x = held(1000000, 0.5)] { benchmark::DoNotOptimize(twins::printing(*x)); });
  pair("every second element of 10^6, backwards", R"(
fn filtered(x) {
  s = 0
  for k in length(x)..1 by -2 { s = s * 0.5 + x[k] }
  return s
}
x = (1..1000000) % 7
)",
       "s = filtered(x)",
       [x = held(1000000, 0.5)] { benchmark::DoNotOptimize(twins::sum_of_every_second(*x)); });
  pair("congruential generator in int64, 10^6", R"(
fn drawn(h, n) {
  for k in 1..n { h = h * 48271 % 2147483647 }
  return h
}
)",
       "h = drawn(int64(7), 1000000)", [] { benchmark::DoNotOptimize(twins::congruential(7, 1000000)); });
  pair("quotients of complex numbers, 10^6", R"(
fn iterated(z, c, n) {
  for k in 1..n { z = (z * z + c) / (z * 2 + c) }
  return z
}
)",
       "z = iterated(complex(0.5, 0.25), complex(0.1, 0.3), 1000000)", [] {
         benchmark::DoNotOptimize(twins::quotients({0.5, 0.25}, {0.1, 0.3}, 1000000));
       });
  pair("cross product and norm of 3-vectors, 10^5", R"(
fn turned(p, q, n) {
  for k in 1..n { p = cross(p, q) + p / norm(p) }
  return p
}
)",
       "p = turned([1, 2, 3], [0.5, -0.25, 0.125], 100000)", [] {
         std::array<double, 3> p{1, 2, 3};
         twins::turn(p, {0.5, -0.25, 0.125}, 100000);
         benchmark::DoNotOptimize(p);
       });
}

}  // namespace

void register_loop_benchmarks() {
  register_values();
  register_functions();
  register_calls();
  register_rows();
  register_scalar_loops();
  register_array_loops();
}
