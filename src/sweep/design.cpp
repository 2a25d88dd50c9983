#include "sweep/design.h"

#include <fmt/format.h>

#include <algorithm>

#include "array/index.h"
#include "base/number.h"
#include "base/text.h"
#include "files/digest.h"
#include "files/formats.h"
#include "files/whole_files.h"
#include "numerics/designs.h"
#include "session/inputs.h"
#include "session/job.h"

namespace quill {

namespace sweep_design {

namespace {

constexpr Index kMostCases = 100'000'000;

Array chosen_element(const Array& a, Index k) {
  return select(a, std::array{position_subscript(static_cast<double>(k + 1), a.extent(0), 0, 1)});
}

std::string element_literal(const Array& a, Index k) {
  const auto element = chosen_element(a, k);
  const auto text = literal_of(Value::array(element));
  if (holds_times(a)) return in_quotes(text);
  // A plain number is read as float64.
  bool is_exact = true;
  if (element.type() == ElementType::int64) {
    constexpr auto last = std::int64_t{1} << 53;
    const auto x = element.to_vector<std::int64_t>()[0];
    is_exact = x >= -last && x <= last;
  } else if (element.type() == ElementType::float32) {
    is_exact = parse_number(text) == static_cast<double>(element.to_vector<float>()[0]);
  }
  return is_exact ? text : fmt::format("{}({})", name_of(element.type()), text);
}

// Values of an expression, as a vector.
Array values_of(Host& host, const DesignOptions& options, const std::string& name, const std::string& text,
                std::vector<Error>& warnings) {
  Job job;
  job.name = "--vary " + name;
  job.text = "values = " + text;
  job.options.script_folder = options.script_folder;
  job.options.also_read = options.also_read;
  job.options.seed = options.seed;
  std::optional<Array> out;
  const auto ran = run_job(host, job, [&](const Session& session, const JobResult& so_far) {
    if (so_far.error) return;
    const auto value = plain_value(*session.find("values"));
    if (!value.is_array_like()) return;
    const auto array = to_array(value);
    if (array.axes() <= 1 && array.type() != ElementType::any && array.size() > 0)
      out = array.axes() == 0 ? array.with_shape(Shape{1}).compact() : array.compact();
  });
  if (ran.error) throw Error(*ran.error);
  for (const auto& warning : ran.warnings)
    warnings.emplace_back(fmt::format("--vary {}: {}", name, warning.message), warning.hint);
  if (!out)
    fail(fmt::format("--vary {}={} does not give a list of numbers, booleans or texts", name, text),
         fmt::format("--vary \"{}=[1, 2, 3]\" or \"{}=0..1 by 0.1\"", name, name));
  return *out;
}

// Two numbers are the ends of an interval; from other values one is drawn.
Array drawn_from(const Array& values, const Array& points, Index axis) {
  const Index count = points.extent(0), axes = points.extent(1);
  const auto* u = points.data<double>() + axis;
  const bool is_interval =
      values.size() == 2 && is_numeric(values.type()) && values.type() != ElementType::boolean;
  if (!is_interval) {
    Subscript chosen;
    chosen.kind = Subscript::Kind::positions;
    for (Index k = 0; k < count; ++k)
      chosen.positions.push_back(
          std::min(values.size() - 1, static_cast<Index>(u[k * axes] * static_cast<double>(values.size()))));
    chosen.count = count;
    return select(values, std::span(&chosen, 1)).compact();
  }
  const auto ends = values.converted(ElementType::float64);
  const double low = ends.data<double>()[0], high = ends.data<double>()[1];
  std::vector<double> out;
  for (Index k = 0; k < count; ++k) out.push_back(low + (high - low) * u[k * axes]);
  return Array::vector(out);
}

// Seed of a case, below 2^53, so that tables represent it exactly.
std::uint64_t derived_seed(std::uint64_t seed, Index number) {
  const auto digits = sha256_of(fmt::format("{} {}", seed, number)).substr(0, 13);
  return std::stoull(digits, nullptr, 16) + 1;
}

}  // namespace

}  // namespace sweep_design

Design::Design(Host& host, const DesignOptions& options) : repeats_(options.repeats), seed_(options.seed) {
  if (!options.table.empty()) add_table(host, options);
  add_varied(host, options);
  if (options.samples > 0) draw(options);
  count_cases();
}

void Design::add_table(Host& host, const DesignOptions& options) {
  const auto bytes = host.read_file(options.table);
  if (!bytes.ok()) fail(fmt::format("cannot read {}: {}", options.table, bytes.reason));
  const auto& format = format_to_read(options.table, bytes.value);
  const auto plain = is_zipped(bytes.value) ? unzipped(bytes.value, options.table) : bytes.value;
  const auto columns = table_of(format.read(plain, options.table, {}));
  if (!columns || columns->empty() || columns->front().values.size() == 0)
    fail(fmt::format("{} is not a table with rows", options.table),
         "each column is an input, each row a case");
  Group group;
  for (const auto& column : *columns) {
    group.names.push_back(column.name);
    group.values.push_back(column.values.compact());
  }
  group.size = columns->front().values.size();
  groups_.push_back(std::move(group));
}

void Design::add_varied(Host& host, const DesignOptions& options) {
  const auto group_of = [&](const std::string& name) -> const Names* {
    for (const auto& names : options.together)
      if (std::find(names.begin(), names.end(), name) != names.end()) return &names;
    return nullptr;
  };
  for (const auto& names : options.together)
    for (const auto& name : names)
      if (std::none_of(options.vary.begin(), options.vary.end(),
                       [&](const auto& v) { return v.first == name; }))
        fail(fmt::format("--together names {}, which does not vary", name),
             fmt::format("--vary \"{}=[1, 2]\"", name));
  for (const auto& [name, text] : options.vary) {
    auto values = sweep_design::values_of(host, options, name, text, warnings_);
    const auto* together = group_of(name);
    const auto is_of_group = [&](const Group& group) {
      return together && std::find(together->begin(), together->end(), group.names[0]) != together->end();
    };
    auto group = std::find_if(groups_.begin(), groups_.end(), is_of_group);
    if (group == groups_.end()) {
      groups_.push_back({{name}, {values}, values.size()});
      continue;
    }
    if (values.size() != group->size)
      fail(fmt::format("--together: {} has {} values and {} has {}", group->names[0], group->size, name,
                       values.size()));
    group->names.push_back(name);
    group->values.push_back(std::move(values));
  }
}

void Design::draw(const DesignOptions& options) {
  const auto axes = static_cast<Index>(groups_.size());
  if (axes == 0) fail("--sample needs inputs to vary", "--vary \"rate=[0.1, 0.5]\"");
  RandomStream random(options.seed);
  const auto points = options.sampling == "sobol" ? sobol_points(options.samples, axes, &random)
                                                  : latin_hypercube(options.samples, axes, random);
  Group all;
  all.size = options.samples;
  for (std::size_t axis = 0; axis < groups_.size(); ++axis)
    for (std::size_t k = 0; k < groups_[axis].names.size(); ++k) {
      all.names.push_back(groups_[axis].names[k]);
      all.values.push_back(
          sweep_design::drawn_from(groups_[axis].values[k], points, static_cast<Index>(axis)));
    }
  groups_ = {std::move(all)};
}

void Design::count_cases() {
  count_ = std::max<Index>(1, repeats_);
  for (const auto& group : groups_) {
    const auto product = checked_product(count_, group.size);
    if (!product || *product > sweep_design::kMostCases)
      fail(fmt::format("the study has more than {} cases", grouped(sweep_design::kMostCases)),
           "--sample draws some of the combinations");
    count_ = *product;
    for (const auto& name : group.names) {
      if (std::find(names_.begin(), names_.end(), name) != names_.end())
        fail(fmt::format("the input {} varies twice", name));
      names_.push_back(name);
    }
  }
  if (names_.empty() && repeats_ == 0)
    fail("the study has no input to vary", "--vary \"rate=[0.1, 0.2]\", --cases table.csv or --repeat 20");
}

template <class Visit>
void Design::visit_inputs(Index number, const Visit& visit) const {
  Index rest = (number - 1) / std::max<Index>(1, repeats_);
  for (auto group = groups_.rbegin(); group != groups_.rend(); ++group) {
    const Index row = rest % group->size;
    rest /= group->size;
    for (std::size_t k = group->names.size(); k-- > 0;) visit(group->names[k], group->values[k], row);
  }
}

Case Design::at(Index number) const {
  Case out;
  out.number = number;
  out.seed = repeats_ > 0 ? sweep_design::derived_seed(seed_, number) : seed_;
  visit_inputs(number, [&](const std::string& name, const Array& values, Index row) {
    out.inputs.emplace_back(name, sweep_design::element_literal(values, row));
  });
  std::reverse(out.inputs.begin(), out.inputs.end());
  return out;
}

Names Design::fields(Index number) const {
  Names out;
  visit_inputs(number, [&](const std::string& name, const Array& values, Index row) {
    out.push_back(csv_field({name, sweep_design::chosen_element(values, row)}).text);
  });
  std::reverse(out.begin(), out.end());
  return out;
}

}  // namespace quill
