#include "files/provenance.h"

#include <fmt/format.h>

#include <nlohmann/json.hpp>
#include <pugixml.hpp>

#include "base/error.h"
#include "base/png_chunk.h"
#include "files/formats.h"

namespace quill {

namespace {

constexpr std::string_view kOpen = "<metadata id=\"provenance\">", kClose = "</metadata>";
constexpr std::pair<char, std::string_view> kEntities[] = {{'&', "&amp;"}, {'<', "&lt;"}, {'>', "&gt;"}};

std::string escaped(std::string_view text) {
  std::string out;
  for (const char c : text) {
    std::string_view as(&c, 1);
    for (const auto& [plain, entity] : kEntities)
      if (c == plain) as = entity;
    out += as;
  }
  return out;
}

[[noreturn]] void fail_twice() { fail("the file contains its provenance twice"); }

bool is_provenance(const pugi::xml_node& node) {
  const std::string_view name = node.name();
  const auto local = name.substr(name.find(':') == name.npos ? 0 : name.find(':') + 1);
  return local == "metadata" && node.attribute("id").value() == std::string_view("provenance");
}

// However it was written: other quotes, entities, another order of attributes, with a prefix.
std::optional<std::string> in_svg(std::string_view bytes) {
  pugi::xml_document document;
  if (!document.load_buffer(bytes.data(), bytes.size(), pugi::parse_default | pugi::parse_ws_pcdata_single))
    return std::nullopt;
  std::optional<std::string> out;
  for (const auto& node : document.document_element().children()) {
    if (!is_provenance(node)) continue;
    if (out) fail_twice();
    out.emplace();
    for (const auto& part : node.children()) *out += part.value();
  }
  return out;
}

std::optional<std::string> in_png(std::string_view bytes) {
  const auto texts = png_texts(bytes, kProvenanceKey);
  if (texts.size() > 1) fail_twice();
  if (texts.empty()) return std::nullopt;
  return texts[0].is_packed ? unzipped(texts[0].bytes, "path of the file, relative to the output folder")
                            : std::string(texts[0].bytes);
}

// Private data box of the ISO base media format (ISO/IEC 14496-12): identifier, then text. At the end of the
// file.
constexpr std::string_view kBoxType = "uuid", kBoxIdentifier = "EagerQuillOrigin";

std::string box_of(std::string_view text) {
  const auto size = 8 + kBoxIdentifier.size() + text.size();
  std::string out;
  for (int shift = 24; shift >= 0; shift -= 8) out += static_cast<char>(size >> shift & 0xff);
  return out + std::string(kBoxType) + std::string(kBoxIdentifier) + std::string(text);
}

bool is_mp4(std::string_view bytes) { return bytes.size() > 8 && bytes.substr(4, 4) == "ftyp"; }

// Range of the box; empty, at the end, if there is none.
std::pair<std::size_t, std::size_t> box_in(std::string_view bytes) {
  std::pair<std::size_t, std::size_t> out{bytes.size(), 0};
  for (std::size_t at = 0; at + 8 <= bytes.size();) {
    const auto number = [&](std::size_t from, std::size_t count) {
      std::uint64_t v = 0;
      for (std::size_t k = from; k < from + count && k < bytes.size(); ++k)
        v = v << 8 | static_cast<unsigned char>(bytes[k]);
      return v;
    };
    auto size = number(at, 4);
    if (size == 1) size = number(at + 8, 8);  // in 64 bits
    if (size < 8 || size > bytes.size() - at) break;
    if (bytes.substr(at + 4, 4) == kBoxType && bytes.substr(at + 8).starts_with(kBoxIdentifier)) {
      if (out.second > 0) fail_twice();
      out = {at, static_cast<std::size_t>(size)};
    }
    at += static_cast<std::size_t>(size);
  }
  return out;
}

std::optional<std::string> in_mp4(std::string_view bytes) {
  const auto [at, size] = box_in(bytes);
  const auto head = 8 + kBoxIdentifier.size();
  if (size < head) return std::nullopt;
  return std::string(bytes.substr(at + head, size - head));
}

// An element of data, in which every < is escaped.
constexpr std::string_view kPage = "<!DOCTYPE html>\n";
constexpr std::string_view kPageOpen = "<script type=\"application/json\" id=\"provenance\">",
                           kPageClose = "</script>\n";

std::optional<std::string> in_page(std::string_view bytes) {
  constexpr std::size_t head = 1000;
  const auto begin = bytes.substr(0, head).find(kPageOpen);
  if (begin == bytes.npos) return std::nullopt;
  const auto end = bytes.find(kPageClose, begin);
  if (end == bytes.npos) return std::nullopt;
  auto json = bytes.substr(begin + kPageOpen.size(), end - begin - kPageOpen.size());
  std::string out;
  constexpr std::string_view escape = "\\u003c";
  for (auto at = json.find(escape); at != json.npos; at = json.find(escape)) {
    out += std::string(json.substr(0, at)) + "<";
    json.remove_prefix(at + escape.size());
  }
  return out + std::string(json);
}

// A literal text of PDF after the key /Keywords.
std::optional<std::string> in_pdf(std::string_view bytes) {
  constexpr std::string_view key = "/Keywords (";
  auto at = bytes.rfind(key);
  if (at == bytes.npos) return std::nullopt;
  std::string out;
  int open = 1;
  for (at += key.size(); at < bytes.size(); ++at) {
    char c = bytes[at];
    if (c == '\\' && at + 1 < bytes.size()) {
      c = bytes[++at];
      if (c >= '0' && c <= '7') {
        int code = 0;
        for (int k = 0; k < 3 && at < bytes.size() && bytes[at] >= '0' && bytes[at] <= '7'; ++k)
          code = 8 * code + (bytes[at++] - '0');
        --at;
        c = static_cast<char>(code);
      } else if (c == 'n') {
        c = '\n';
      }
    } else if (c == '(') {
      ++open;
    } else if (c == ')' && --open == 0) {
      return out;
    }
    out += c;
  }
  return std::nullopt;
}

std::optional<std::string> in_hdf5(std::string_view bytes) {
  try {
    const auto attributes = read_hdf5_attributes(bytes, "path of the file, relative to the output folder");
    for (std::size_t k = 0; k < attributes.names.size(); ++k)
      if (const auto& a = attributes.items[k]; attributes.names[k] == kProvenanceKey &&
                                               a.kind == Data::Kind::array &&
                                               a.array.type() == ElementType::text && a.array.size() == 1)
        return a.array.to_vector<std::string>()[0];
  } catch (const Error&) { return std::nullopt; }
  return std::nullopt;
}

std::optional<std::string> in_json(std::string_view bytes) {
  // Written before all else, so that it is found without reading the whole file.
  constexpr std::string_view head = "{\n \"provenance\": ";
  if (!bytes.starts_with(head)) return std::nullopt;
  const auto end = std::min(bytes.find('\n', head.size()), bytes.size());
  auto line = bytes.substr(head.size(), end - head.size());
  if (line.ends_with(',')) line.remove_suffix(1);
  return std::string(line);
}

std::optional<std::string> in_comments(std::string_view bytes) {
  while (!bytes.empty()) {
    const auto end = bytes.find('\n');
    const auto line = bytes.substr(0, end);
    if (line.empty() || (line[0] != '#' && line[0] != '%')) return std::nullopt;
    for (const std::string_view sign : {"# provenance: ", "% provenance: "})
      if (line.starts_with(sign)) return std::string(line.substr(sign.size()));
    if (end == bytes.npos) break;
    bytes.remove_prefix(end + 1);
  }
  return std::nullopt;
}

constexpr std::size_t kHead = 1000;  // searched for the file signature

std::optional<std::string> written_in(std::string_view bytes) {
  if (bytes.starts_with("\x89PNG")) return in_png(bytes);
  if (bytes.starts_with("%PDF")) return in_pdf(bytes);
  if (is_mp4(bytes)) return in_mp4(bytes);
  if (is_hdf5(bytes)) return in_hdf5(bytes);
  if (is_spreadsheet(bytes)) return spreadsheet_comment(bytes);
  if (bytes.starts_with("<svg") || bytes.starts_with("<?xml") ||
      bytes.substr(0, kHead).find("<svg") != bytes.npos)
    return in_svg(bytes);
  if (bytes.starts_with(kPage)) return in_page(bytes);
  if (bytes.starts_with("{")) return in_json(bytes);
  return in_comments(bytes);
}

void erase_line(std::string& bytes, std::size_t at) {
  bytes.erase(at, std::min(bytes.find('\n', at), bytes.size() - 1) + 1 - at);
}

}  // namespace

std::string with_provenance(std::string bytes, std::string_view format, std::string_view provenance) {
  if (format == "png") insert_png_text(bytes, kProvenanceKey, provenance);
  if (format == "mp4") bytes += box_of(provenance);
  if (format == "svg")
    if (const auto head = bytes.find(">\n"); head != std::string::npos)
      bytes.insert(head + 2, fmt::format("{}{}{}\n", kOpen, escaped(provenance), kClose));
  if (format == "html")
    if (const auto head = bytes.find("<head>\n<meta charset=\"utf-8\">\n"); head != std::string::npos) {
      std::string json;
      for (const char c : provenance) c == '<' ? json += "\\u003c" : json += c;
      bytes.insert(bytes.find("\n", head + 8) + 1, fmt::format("{}{}{}", kPageOpen, json, kPageClose));
    }
  return bytes;
}

std::string provenance_comment(std::string_view sign, std::string_view provenance) {
  return fmt::format("{} provenance: {}\n", sign, provenance);
}

std::string without_provenance(std::string bytes) {
  try {
    if (!provenance_in(bytes)) return bytes;
  } catch (const Error&) { return bytes; }  // it is compared as it is
  if (is_zipped(bytes)) bytes = unzipped(bytes, "path of the file, relative to the output folder");
  if (bytes.starts_with("\x89PNG")) {
    erase_png_text(bytes, kProvenanceKey);
  } else if (is_mp4(bytes)) {
    const auto [at, size] = box_in(bytes);
    bytes.erase(at, size);
  } else if (bytes.starts_with("%PDF")) {
    bytes.resize(bytes.rfind("/Keywords ("));
  } else if (is_hdf5(bytes) || is_spreadsheet(bytes) || bytes.starts_with("{")) {
    return bytes;  // readers leave it out
  } else if (bytes.starts_with(kPage)) {
    erase_line(bytes, bytes.find(kPageOpen));
  } else if (const auto element = bytes.find(kOpen); element != std::string::npos) {
    erase_line(bytes, element);
  } else if (const auto line = bytes.find(" provenance: "); line != std::string::npos && line > 0) {
    erase_line(bytes, line - 1);
  }
  return bytes;
}

std::optional<std::string> provenance_in(std::string_view bytes) {
  if (!is_zipped(bytes)) return written_in(bytes);
  std::string plain;
  try {
    plain = unzipped(bytes, "path of the file, relative to the output folder");
  } catch (const Error&) { return std::nullopt; }
  return written_in(plain);
}

}  // namespace quill
