// The loops of loop_benchmarks.cpp, written by hand.
#pragma once

#include <array>
#include <complex>
#include <cstdint>
#include <span>
#include <vector>

namespace twins {

using Pair = std::array<double, 2>;
// The classical Runge-Kutta method.
Pair runge_kutta(Pair (*f)(const Pair&), Pair y, int steps);
Pair oscillation(const Pair& y);
double sinc_matrix(std::span<double> u, int n);
std::int64_t longest_collatz(std::int64_t most);
double escape_times(std::span<double> out, int n);
void solve_tridiagonal(std::span<const double> a, std::span<double> b, std::span<const double> c, std::span<double> d,
                       std::span<double> x);
void shortest_paths(std::span<double> d, int n);
double lorenz(int steps);
void recurrence(std::span<double> x);
void sieve(std::span<bool> is_prime);
// Compiled without vector instructions.
void life(std::span<std::int32_t> g, std::span<std::int32_t> next, int n);
void relax(std::span<double> u, int n);
void product(std::span<const double> a, std::span<double> c, int n);
double fibonacci(double n);
// Pairs of numbers up to n without a common divisor.
int coprime_pairs(int n);
// The sum of the roots of x^2 = k by bisection.
double bisected_roots(int n);
// Steps of diffusion on a row of cells.
void diffuse(std::span<double> u, int steps);
// The sum over rounds of products of the rows of a matrix with a vector.
double row_products(std::span<const double> u, std::span<const double> w, int rounds);
// Bodies that attract each other in three dimensions: positions, velocities, masses.
void attract(std::span<double> p, std::span<double> v, std::span<const double> m, int steps);
double random_walk(int steps);
double item_sum(std::span<const double> depth, double rate, double offset, int n);
double oscillate(double step, int steps);
double product_sum(std::span<const double> a, std::span<const double> b);
void count_cells(std::span<const std::int64_t> cells, std::span<double> counts);
// s = 0.999 s + √(x + s); every 1000th sum is written as text.
double printing(std::span<const double> x);
// The sum of every second element, from the last to the first.
double sum_of_every_second(std::span<const double> a);
// A linear congruential generator.
std::int64_t congruential(std::int64_t seed, int count);
// z = (z² + c) / (2 z + c).
std::complex<double> quotients(std::complex<double> z, std::complex<double> c, int count);
// p × q + p / |p|, again and again.
void turn(std::array<double, 3>& p, const std::array<double, 3>& q, int count);

}  // namespace twins
