#include "session/job.h"

namespace quill {

namespace {

// Keeps the errors and warnings of a run.
class ErrorListener : public Output {
 public:
  explicit ErrorListener(JobResult& result) : result_(result) {}
  void tell(const Event& event) override {
    if (const auto* given = std::get_if<WarningGiven>(&event); given && !given->is_repeated)
      result_.warnings.push_back(given->warning);
    const auto* met = std::get_if<ErrorMet>(&event);
    if (!met) return;
    result_.messages += describe(met->error);
    result_.error = met->error;
  }

 private:
  JobResult& result_;
};

}  // namespace

JobResult run_job(Host& host, const Job& job, const AtEnd& at_end) {
  JobResult out;
  ErrorListener listener(out);
  Session session(host, listener, job.options);
  if (session.run(job.name, job.text)) session.check_inputs_used();
  out.record = session.finished_record();
  if (at_end) at_end(session, out);
  return out;
}

}  // namespace quill
