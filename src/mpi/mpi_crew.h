// The ranks of an MPI job as those who run the cases of a study: rank 0 hands out cases; every other rank has
// one worker process, so that a case that ends its process or exceeds its time harms no other one.
#pragma once

#include <memory>

#include "app/options.h"

namespace quill {

// For rank 0. With one rank alone, workers on this machine.
std::unique_ptr<Crew> mpi_crew(const Setup& setup, const CommandLine& line, Index cases);
// For the other ranks: runs cases until rank 0 ends.
void serve_rank();
// Lets the other ranks end; for rank 0.
void release_ranks();

}  // namespace quill
