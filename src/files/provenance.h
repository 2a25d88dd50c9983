// Where a file comes from, written into the file itself: one line of JSON, of which these functions know no
// more than that it is.
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace quill {

// The key by which it is found, in each format in its place: a text chunk (PNG), a metadata element (SVG), a
// keyword (PDF), an attribute (HDF5), a field (JSON), a comment line (CSV, Matrix Market).
inline constexpr const char* kProvenanceKey = "provenance";

// The file with it, for those formats that can be added to: "png" and "svg".
std::string with_provenance(std::string bytes, std::string_view format, std::string_view provenance);
// A comment line for formats that have them: "# provenance: {…}\n".
std::string provenance_comment(std::string_view sign, std::string_view provenance);
// What a file says of itself, whatever its name, also after other programs have written it anew; nothing when
// it says nothing, Error when it says it twice.
std::optional<std::string> provenance_in(std::string_view bytes);
// The bytes without that, for comparing what two files hold. Of a PDF only what stands before it.
std::string without_provenance(std::string bytes);

}  // namespace quill
