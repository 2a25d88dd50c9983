#include "builtins/opened/saving.h"

#include "array/axis_names.h"
#include "blocks/division.h"
#include "builtins/opened/opened_array.h"

namespace quill {

namespace opened_saving {

namespace {

// An opened array as data that is written part by part.
class OpenedParts : public DataInParts {
 public:
  OpenedParts(const Call& call, BlockSourcePtr source) : call_(call), source_(std::move(source)) {}
  Array sample() const override {
    Array out(source_->type(), Shape::filled(source_->axes(), 0));
    out.label = with_axis_names(source_->label, source_->dimensions);
    return out;
  }
  Shape shape() const override { return source_->shape(); }
  void for_each_part(const Take& take) const override {
    BlockFindings findings;
    for_each_part_of(*source_, findings,
                     [&](const BlockPart& part, const Array& elements) { take(part.start, elements); });
    report(call_.runtime, findings, call_.node());
  }
  Array elements(Index begin, Index count) const override {
    BlockFindings findings;
    auto out = source_->read({{begin}, {count}, {1}}, findings);
    // Reported once, not for each part.
    for (const auto& function : reported_.out_of_domain) findings.out_of_domain.erase(function);
    report(call_.runtime, findings, call_.node());
    reported_.out_of_domain.merge(findings.out_of_domain);
    return out;
  }
  Index efficient_length() const override {
    const auto parts = row_parts(*source_);
    return parts.empty() ? 1 : parts.front().count.front();
  }

 private:
  mutable BlockFindings reported_;
  const Call& call_;
  BlockSourcePtr source_;
};

}  // namespace

}  // namespace opened_saving

Data data_to_write(const Call& call, const Value& value, Data (*plain)(const Value&), bool in_parts,
                   bool& has_parts) {
  if (const auto* array = deferred_array(value)) {
    if (!in_parts) return Data::of(to_array(array->whole(call.runtime)));
    has_parts = true;
    Data out;
    out.kind = Data::Kind::parts;
    out.parts =
        std::make_shared<opened_saving::OpenedParts>(call, static_cast<const OpenedArray&>(*array).source());
    return out;
  }
  if (!value.is(Kind::record)) return plain(value);
  Data out;
  out.kind = Data::Kind::record;
  for (const auto& [name, field] : value.object<RecordObject>().fields)
    out.add(name, data_to_write(call, field, plain, in_parts, has_parts));
  return out;
}

}  // namespace quill
