#include "value/arguments.h"

#include <fmt/format.h>

#include <algorithm>
#include <functional>

#include "base/text.h"

namespace quill {

namespace {

// Default for a signature: literals unchanged, descriptions as "…".
std::string_view short_default(std::string_view fallback) {
  if (fallback.starts_with('"')) return fallback.substr(0, fallback.find('"', 1) + 1);
  const bool is_literal = fallback.starts_with('(') || fallback.find(' ') == fallback.npos;
  return is_literal ? fallback : "…";
}

std::string signature(const Builtin& row, bool all) {
  if (row.constant) return std::string(row.name);
  std::string out = fmt::format("{}(", row.name);
  bool is_first = true, leaves_out = false;
  for (const auto& p : row.parameters) {
    if (!all && !p.group.empty()) {
      leaves_out = true;
      continue;
    }
    out += fmt::format("{}{}{}", is_first ? "" : ", ", p.free_names ? "name" : p.name,
                       p.many               ? ", …"
                       : p.free_names       ? ": value, …"
                       : p.fallback.empty() ? ""
                                            : fmt::format(": {}", short_default(p.fallback)));
    is_first = false;
  }
  return out + (leaves_out ? ", …)" : ")");
}

}  // namespace

std::string signature_of(const Builtin& row) { return signature(row, true); }
std::string short_signature_of(const Builtin& row) { return signature(row, false); }

std::string described(const Parameter& p) {
  return p.fallback.empty() || p.many ? std::string(p.about)
                                      : fmt::format("{} (default {})", p.about, p.fallback);
}

std::string signature_of(const FunctionHead& head) {
  std::string out = head.name + "(";
  for (std::size_t i = 0; i < head.parameters.size(); ++i)
    out += fmt::format("{}{}{}", i ? ", " : "", head.parameters[i], head.has_default[i] ? ": …" : "");
  return out + ")";
}

namespace {

struct Formal {
  std::string_view name;
  bool required = true, many = false, free_names = false;
  bool has_name() const { return !many && !free_names; }
};

// `called`: name of the function in messages; the signature is a hint if it is not part of the message.
struct Callee {
  std::vector<Formal> formals;
  std::function<std::string()> called, signature;  // computed only for errors
};

Bound bound(const Callee& callee, std::span<const std::string> names, std::size_t count) {
  Bound out;
  const auto& formals = callee.formals;
  const auto wrong = [&](int argument, std::string message, std::string hint) {
    if (!out.mistake) {
      out.mistake = Error(std::move(message), std::move(hint));
      out.argument = argument;
    }
    out.parameters.push_back(0);
  };
  const auto many = std::find_if(formals.begin(), formals.end(), [](const Formal& f) { return f.many; });
  const auto by_position = static_cast<std::size_t>(
      std::find_if(formals.begin(), formals.end(), [](const Formal& f) { return !f.has_name(); }) -
      formals.begin());
  const bool takes_free = !formals.empty() && formals.back().free_names;
  std::vector<bool> given(formals.size(), false);
  std::size_t position = 0;
  for (std::size_t i = 0; i < count; ++i) {
    const auto argument = static_cast<int>(i);
    if (i >= names.size() || names[i].empty()) {
      if (position < by_position) {
        given[position] = true;
        out.parameters.push_back(static_cast<int>(position));
      } else
        out.parameters.push_back(kToMany);  // or one too many, which the count of arguments reveals
      ++position;
      continue;
    }
    const auto formal = std::find_if(formals.begin(), formals.end(),
                                     [&](const Formal& f) { return f.has_name() && f.name == names[i]; });
    if (formal == formals.end()) {
      if (takes_free) {
        out.parameters.push_back(kToFreeNames);
        continue;
      }
      std::vector<std::string> known;
      for (const auto& f : formals)
        if (f.has_name()) known.emplace_back(f.name);
      const auto near = nearest_name(names[i], known);
      wrong(argument, fmt::format("{} has no argument `{}`", callee.called(), names[i]),
            near.empty()
                ? fmt::format("it takes {}", known.empty() ? "no named arguments" : list_in_prose(known))
                : fmt::format("did you mean {}:?", near));
      continue;
    }
    const auto place = formal - formals.begin();
    if (given[static_cast<std::size_t>(place)])
      wrong(argument,
            fmt::format("the argument `{}` of {} is given twice, by position and by name", names[i],
                        callee.called()),
            "");
    else
      out.parameters.push_back(static_cast<int>(place));
    given[static_cast<std::size_t>(place)] = true;
  }
  if (out.mistake) return out;
  if (many == formals.end() && position > by_position) {
    wrong(-1,
          fmt::format("{} takes {} argument{}, and {} {} given", callee.called(), by_position,
                      by_position == 1 ? "" : "s", position, position == 1 ? "is" : "are"),
          callee.signature());
    return out;
  }
  std::vector<std::string> missing;
  for (std::size_t k = 0; k < formals.size(); ++k)
    if (formals[k].required && formals[k].has_name() && !given[k])
      missing.push_back(fmt::format("`{}`", formals[k].name));
  if (!missing.empty())
    wrong(-1, fmt::format("{} requires {} too", callee.called(), list_in_prose(missing)), callee.signature());
  return out;
}

}  // namespace

Bound bound_arguments(const Builtin& row, std::span<const std::string> names, std::size_t count) {
  Callee callee{{}, [&] { return std::string(row.name); }, [&] { return signature_of(row); }};
  for (const auto& p : row.parameters)
    callee.formals.push_back({p.name, p.fallback.empty(), p.many, p.free_names});
  return bound(callee, names, count);
}

Bound bound_arguments(const FunctionHead& head, std::span<const std::string> names, std::size_t count) {
  Callee callee{{}, [&] { return signature_of(head); }, [] { return std::string(); }};
  for (std::size_t k = 0; k < head.parameters.size(); ++k)
    callee.formals.push_back({head.parameters[k], !head.has_default[k]});
  return bound(callee, names, count);
}

}  // namespace quill
