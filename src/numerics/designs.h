// Points that fill a cube evenly, for parameter studies and integrals.
#pragma once

#include "array/array.h"
#include "numerics/random.h"

namespace quill {

// The first points of Sobol's sequence in [0, 1), the origin first: one row for each (I. M. Sobol, 1967;
// directions of S. Joe, F. Y. Kuo, 2008, by Boost.Random). `shift` adds random bits to all of them alike,
// which keeps the intervals filled and makes each point uniform.
Array sobol_points(Index count, Index axes, RandomStream* shift);
// Random points with one in each of `count` equal intervals of every coordinate (M. D. McKay, R. J. Beckman,
// W. J. Conover, Technometrics 21, 1979).
Array latin_hypercube(Index count, Index axes, RandomStream& random);

}  // namespace quill
