// Any bytes are a record of a run or of a study, or a file that says where it comes from, or an Error; what
// was read is written and read again as the same. The first byte chooses what they are taken for.
#include <cstdint>
#include <cstdlib>
#include <string>

#include "base/error.h"
#include "files/difference.h"
#include "files/provenance.h"
#include "session/journal.h"
#include "session/record.h"
#include "session/trace.h"
#include "sweep/study_files.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
  if (size == 0) return 0;
  const std::string text(reinterpret_cast<const char*>(bytes + 1), size - 1);
  try {
    switch (bytes[0] % 6) {
      case 0: {
        const auto record = quill::record_of(text, "run.json");
        const auto again = quill::text_of(record);
        if (quill::text_of(quill::record_of(again, "run.json")) != again) std::abort();
        quill::prov_json(record);
        break;
      }
      case 1: {
        const auto line = quill::provenance_in(text);
        if (!line) break;
        quill::without_provenance(text);
        quill::prov_json(quill::record_of_provenance(*line, "file"));
        break;
      }
      case 3: {
        const auto journal = quill::read_journal(text, "journal");
        auto again = quill::journal_line(journal.head);
        for (const auto& event : journal.events) again += quill::journal_line(event);
        const auto same = quill::read_journal(again, "journal");
        if (same.events.size() != journal.events.size() || same.is_torn || !same.damage.empty()) std::abort();
        break;
      }
      case 4:
        quill::read_study_record(text, "sweep.json", [](const quill::Case&, const quill::CaseResult&) {});
        break;
      case 5: {
        const auto line = quill::line_of(quill::result_of(text));
        if (quill::line_of(quill::result_of(line)) != line) std::abort();
        break;
      }
      default: {
        const auto half = text.size() / 2;
        const auto one = text.substr(0, half), two = text.substr(half);
        if (quill::difference_of("f.csv", one, two, 0).is_same != (one == two) && one == two) std::abort();
        quill::difference_of("f.json", one, two, 1e-6);
        quill::are_close(one, two, 1e-6);
      }
    }
  } catch (const quill::Error&) { return 0; }
  return 0;
}
