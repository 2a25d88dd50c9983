// A crew of MPI ranks: rank 0 distributes cases; every other rank has one worker process, so that a case that
// crashes or exceeds its time affects no other.
#pragma once

#include <memory>

#include "app/options.h"

namespace quill {

// For rank 0. If it is the only rank, uses workers on this machine.
std::unique_ptr<Crew> mpi_crew(const Setup& setup, const CommandLine& line, Index cases);
// For other ranks: runs cases until rank 0 ends.
void serve_rank();
// For rank 0: ends the other ranks.
void release_ranks();

}  // namespace quill
