// eager-quill-mpi: parameter studies on the ranks of an MPI job.
#include <boost/mpi.hpp>
#include <cstdio>
#include <exception>
#include <string_view>

#include "app/program.h"
#include "base/error.h"
#include "mpi/mpi_crew.h"

int main(int count, char** arguments) {
  // A worker that a rank has started knows nothing of MPI.
  if (count > 1 && arguments[1] == std::string_view(quill::kWorkerCommand))
    return quill::run_program(count, arguments);
  try {
    const boost::mpi::environment environment(count, arguments);
    if (boost::mpi::communicator().rank() == 0) {
      const int status = quill::run_program(count, arguments, {quill::mpi_crew, "mpi", true});
      quill::release_ranks();
      return status;
    }
    quill::serve_rank();
    return 0;
  } catch (const quill::Error& error) {
    std::fputs(quill::describe(error).c_str(), stderr);
  } catch (const std::exception&) { std::fputs("error: MPI failed\n", stderr); }
  // Otherwise the other ranks would wait for ever.
  MPI_Abort(MPI_COMM_WORLD, 1);
  return 1;
}
