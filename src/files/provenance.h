// Provenance stored in files: one line of JSON, which these functions do not interpret.
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace quill {

// Key of the provenance in each format: a text chunk (PNG), a metadata element (SVG), a keyword (PDF), an
// attribute (HDF5), a field (JSON), a comment line (CSV, Matrix Market).
inline constexpr const char* kProvenanceKey = "provenance";

// Adds provenance to a finished file of the formats "png" and "svg".
std::string with_provenance(std::string bytes, std::string_view format, std::string_view provenance);
// As a comment line: "# provenance: {…}\n".
std::string provenance_comment(std::string_view sign, std::string_view provenance);
// Provenance found in a file of any format, also if other programs have rewritten it; nothing if there is
// none. Throws Error if there are two.
std::optional<std::string> provenance_in(std::string_view bytes);
// The bytes without provenance, for comparing contents. Of a PDF only the part before it.
std::string without_provenance(std::string bytes);

}  // namespace quill
