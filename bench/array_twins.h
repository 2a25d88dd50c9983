// The array work of the benchmarks written by hand in C++, for this processor.
#pragma once

#include <cstddef>
#include <cstdint>

namespace twins {

// exp(-x x) cos(3 x) + 0.5 x, fused, with SLEEF
void bell(const double* x, double* out, std::size_t n);
// a x + b z - c
void combination(double a, const double* x, double b, const double* z, double c, double* out, std::size_t n);
void line(double a, const double* x, double b, double* out, std::size_t n);
double squared_distance(const double* a, const double* b, std::size_t n);
double largest_magnitude(const double* a, std::size_t n);
std::size_t count_positive(const double* a, std::size_t n);
double mean_of_positive(const double* a, std::size_t n);
// One sweep over the inner points of an n × n grid, colour by colour.
void relax(double* u, std::size_t n);
void outer(const double* v, const double* w, double* out, std::size_t n);
void transpose(const double* a, double* out, std::size_t n);
void sum_rows(const double* a, double* out, std::size_t n);     // over the first axis
void sum_columns(const double* a, double* out, std::size_t n);  // over the second one
std::size_t keep_positive(const double* a, double* out, std::size_t n);
void zero_where(double* a, const bool* mask, std::size_t n);
void running_sum(const double* a, double* out, std::size_t n);
void reversed(const double* a, double* out, std::size_t n);

}  // namespace twins
