// The tables of built-ins, one for each topic, which form the registry (registry.cpp).
#pragma once

#include <span>
#include <string>
#include <vector>

#include "value/registry.h"

namespace quill {

std::vector<Builtin> constant_rows();
std::vector<Builtin> elementwise_rows();
std::vector<Builtin> reduction_rows();
std::vector<Builtin> running_rows();
std::vector<Builtin> making_rows();
std::vector<Builtin> shape_rows();
std::vector<Builtin> ordering_rows();
std::vector<Builtin> function_rows();
std::vector<Builtin> value_rows();
std::vector<Builtin> column_rows();
std::vector<Builtin> pivot_rows();
std::vector<Builtin> collection_rows();
std::vector<Builtin> pattern_rows();
std::vector<Builtin> time_rows();
std::vector<Builtin> series_rows();
std::vector<Builtin> text_rows();
std::vector<Builtin> linear_rows();
std::vector<Builtin> transform_rows();
std::vector<Builtin> interpolation_rows();
std::vector<Builtin> scattered_rows();
std::vector<Builtin> integral_rows();
std::vector<Builtin> calculus_rows();
std::vector<Builtin> search_rows();
std::vector<Builtin> evolution_rows();
std::vector<Builtin> statistics_rows();
std::vector<Builtin> special_rows();
std::vector<Builtin> distribution_rows();
std::vector<Builtin> hypothesis_rows();
std::vector<Builtin> filter_rows();
std::vector<Builtin> signal_rows();
std::vector<Builtin> spectrum_rows();
std::vector<Builtin> variable_rows();
std::vector<Builtin> resampling_rows();
std::vector<Builtin> polynomial_rows();
std::vector<Builtin> fit_rows();
std::vector<Builtin> regression_rows();
std::vector<Builtin> random_rows();
std::vector<Builtin> file_rows();
std::vector<Builtin> opening_rows();
std::vector<Builtin> layer_rows();
std::vector<Builtin> bar_layer_rows();
std::vector<Builtin> field_layer_rows();
std::vector<Builtin> sample_layer_rows();
std::vector<Builtin> figure_rows();
std::vector<Builtin> figure_surroundings_rows();
std::vector<Builtin> output_rows();

// Adds the synonyms of trade_words.cpp, which search uses, to the rows.
void add_trade_words(std::vector<Builtin>& rows);
std::span<const std::pair<std::string_view, std::string_view>> trade_words();

// Adds references between related built-ins.
void add_related(std::vector<Builtin>& rows);

// The registry, built once.
const Registry& builtins();

// The help text of a built-in for a width in columns.
std::string help_text(const Builtin& row, int width);
// The same for a value of a script: for a function its signature and the `#:` lines before it.
std::string help_of(const std::string& name, const Value& value, int width);
// The list of built-ins by family.
std::string help_overview(int width);
// Built-ins and topics of the language that match the words, in any order: those that match all words, or if
// there are none, those that match any; best match first, one on a line. "" if nothing matches.
std::string help_search(const std::string& words, int width);

// A part of the language other than a built-in, described in the same way by help and search.
struct Topic {
  std::string_view name;
  std::string_view form;
  std::string_view summary;
  std::string_view words;  // synonyms used by search
  std::string_view example;
  std::string_view output;
};
std::span<const Topic> topics();
const Topic* find_topic(std::string_view name);
std::string help_text(const Topic& topic, int width);

}  // namespace quill
