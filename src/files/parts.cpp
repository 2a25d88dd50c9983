#include "files/parts.h"

#include <fmt/format.h>

#include <algorithm>

#include "array/axis_names.h"
#include "array/index.h"
#include "array/rearrange.h"
#include "base/text.h"

namespace quill {

namespace {

bool is_inside(const std::string& path, const std::string& group) {
  return path.size() > group.size() && path.starts_with(group) && path[group.size()] == '/';
}

std::string listed(const std::vector<std::string>& names) {
  constexpr std::size_t most = 12;
  std::string out;
  for (std::size_t k = 0; k < names.size() && k < most; ++k) out += (k ? ", " : "") + printable(names[k]);
  return names.size() > most ? fmt::format("{} and {} more", out, names.size() - most) : out;
}

}  // namespace

PartsFinder::PartsFinder(PartsWanted wanted, std::string file)
    : wanted_(std::move(wanted)),
      file_(std::move(file)),
      found_(wanted_.only.size()),
      used_(wanted_.ranges.size()) {}

bool PartsFinder::wants(const std::string& path) {
  paths_.push_back(path);
  if (wanted_.only.empty()) return true;
  bool out = false;
  for (std::size_t k = 0; k < wanted_.only.size(); ++k)
    if (path == wanted_.only[k] || is_inside(path, wanted_.only[k])) out = found_[k] = true;
  return out;
}

bool PartsFinder::wants_below(const std::string& path) const {
  return wanted_.only.empty() || std::any_of(wanted_.only.begin(), wanted_.only.end(), [&](const auto& name) {
           return name == path || is_inside(name, path) || is_inside(path, name);
         });
}

BlockPart PartsFinder::part_of(const Shape& shape, const std::vector<std::string>& dimensions,
                               const std::string& path, std::vector<int>& single,
                               std::vector<Places>& places) {
  auto out = BlockPart::whole(shape);
  for (int axis = 0; axis < shape.count(); ++axis) {
    const auto& name = dimensions[static_cast<std::size_t>(axis)];
    if (name.empty()) {
      has_unnamed_ = true;
      continue;
    }
    if (std::find(dimensions_.begin(), dimensions_.end(), name) == dimensions_.end())
      dimensions_.push_back(name);
    for (std::size_t k = 0; k < wanted_.ranges.size(); ++k) {
      const auto& range = wanted_.ranges[k];
      if (range.dimension != name) continue;
      used_[k] = true;
      const auto last = range.places.empty() ? range.start + (range.count - 1) * range.step
                                             : *std::max_element(range.places.begin(), range.places.end());
      if (range.count > 0 && (std::max(range.start, last) >= shape[axis] || std::min(range.start, last) < 0))
        fail(fmt::format("{}: the dimension {} of {} has {} positions, and {} is wanted", file_,
                         printable(name), printable(path), shape[axis], std::max(range.start, last) + 1));
      if (!range.places.empty()) {
        places.push_back({axis, range.places});
        continue;
      }
      const auto at = static_cast<std::size_t>(axis);
      out.start[at] = range.start;
      out.count[at] = range.count;
      out.step[at] = range.step;
      if (range.is_single) single.push_back(axis);
    }
  }
  return out;
}

void PartsFinder::check_all_found() const {
  for (std::size_t k = 0; k < found_.size(); ++k)
    if (!found_[k])
      fail(fmt::format("{} has no variable {}", file_, printable(wanted_.only[k])),
           paths_.empty() ? "" : fmt::format("it has {}", listed(paths_)));
  for (std::size_t k = 0; k < used_.size(); ++k)
    if (!used_[k])
      fail(fmt::format("{}: no variable that is read has the dimension {}", file_,
                       printable(wanted_.ranges[k].dimension)),
           !dimensions_.empty() ? fmt::format("the dimensions are {}", listed(dimensions_))
           : has_unnamed_ ? fmt::format("the dimensions of this file have no names; open_data(\"{}\") and "
                                        "subscripts read a part",
                                        file_)
                          : "");
}

Array with_places(BlockPart part, std::span<const PartsFinder::Places> places,
                  const std::function<Array(const BlockPart& part)>& read) {
  if (places.empty()) return read(part);
  const auto& [axis, wanted] = places.front();
  const auto at = static_cast<std::size_t>(axis);
  auto rising = wanted;
  std::sort(rising.begin(), rising.end());
  rising.erase(std::unique(rising.begin(), rising.end()), rising.end());
  const auto chosen = [axis = axis](const Array& from, std::vector<Index> positions) {
    std::vector<Subscript> subscripts;
    for (const auto extent : from.shape()) subscripts.push_back(everything(extent));
    const auto count = static_cast<Index>(positions.size());
    subscripts[static_cast<std::size_t>(axis)] = {Subscript::Kind::positions, 0, 1, count,
                                                  std::move(positions)};
    return select(from, subscripts);
  };
  std::vector<Array> runs;
  constexpr Index near = 8;
  for (std::size_t k = 0; k < rising.size();) {
    const auto first = rising[k];
    std::vector<Index> within;
    for (Index before = first; k < rising.size() && rising[k] - before <= near; ++k) {
      within.push_back(rising[k] - first);
      before = rising[k];
    }
    part.start[at] = first;
    part.count[at] = within.back() + 1;
    part.step[at] = 1;
    runs.push_back(chosen(with_places(part, places.subspan(1), read), within));
  }
  std::vector<Index> order;
  for (const auto place : wanted)
    order.push_back(std::lower_bound(rising.begin(), rising.end(), place) - rising.begin());
  return chosen(join(runs, axis), order);
}

Array without_axes(const Array& a, const std::vector<int>& axes) {
  if (axes.empty()) return a;
  Shape shape = a.shape();
  for (auto axis = axes.rbegin(); axis != axes.rend(); ++axis) shape.erase(*axis);
  auto out = a.with_shape(shape);
  out.label = with_axis_names(a.label, names_without(axis_names(a), axes));
  return out;
}

}  // namespace quill
