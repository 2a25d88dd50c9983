#include "files/spreadsheet_libraries.h"

#include "files/dynamic_library.h"

namespace quill {

const ZipLibrary& zip_library() {
  static const ZipLibrary library = [] {
    void* const from = opened_library("libzip.so.4", "spreadsheets", "libzip4");
    ZipLibrary out;
    QUILL_ZIP_FUNCTIONS(QUILL_FIND)
    return out;
  }();
  return library;
}

const XlsxwriterLibrary& xlsxwriter_library() {
  static const XlsxwriterLibrary library = [] {
    void* const from =
        opened_library("libxlsxwriter.so.4", "spreadsheets that are written", "libxlsxwriter4");
    XlsxwriterLibrary out;
    QUILL_XLSXWRITER_FUNCTIONS(QUILL_FIND)
    return out;
  }();
  return library;
}

}  // namespace quill
