// Text descriptions of figures, for readers who cannot see them.
#pragma once

#include <string>

#include "figure/model.h"

namespace quill {

// What its script says, or its titles, what each panel draws, its axes with the ranges of the data: "Lake
// Velm in August. Panel 1 of 2: scatter of thermistors; line of spline. x, depth z (m), from 0.5 to 36; y, …"
std::string description_of(const Figure& figure);

}  // namespace quill
