// The work of the benchmarks written by hand in C++, as plainly and as fast as one would.
#pragma once

#include <cstddef>
#include <string_view>
#include <vector>

namespace twins {

// s += k % 7 * 0.5 for k = 1 … n
double scalar_loop(std::size_t n);
// The solution of a x = b by LAPACK's gesv, for a column by column, with the condition that a careful program
// asks for (gecon).
std::vector<double> solved(std::vector<double> a, std::vector<double> b, double& reciprocal_condition);
// The numbers of a table with a head, by from_chars on one core.
std::vector<std::vector<double>> table(std::string_view text, std::size_t columns);
// Normal random numbers of the generator alone.
void normals(std::vector<double>& out);

}  // namespace twins
