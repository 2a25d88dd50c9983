// Points that fill a unit cube evenly, for parameter studies and integration.
#pragma once

#include "array/array.h"
#include "numerics/random.h"

namespace quill {

// The first points of Sobol's sequence in [0, 1), starting at the origin, one in each row (I. M. Sobol, 1967;
// directions of S. Joe, F. Y. Kuo, 2008, by Boost.Random). `shift`: adds the same random bits to all points
// (digital shift), which keeps them evenly distributed and makes each one uniform; may be null.
Array sobol_points(Index count, Index axes, RandomStream* shift);
// Latin hypercube: each coordinate has one random point in each of `count` equal intervals (M. D. McKay, R.
// J. Beckman, W. J. Conover, Technometrics 21, 1979).
Array latin_hypercube(Index count, Index axes, RandomStream& random);

}  // namespace quill
