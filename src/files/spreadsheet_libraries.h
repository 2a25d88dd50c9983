// Libraries that unpack and write spreadsheets, loaded on first use.
#pragma once

#include <xlsxwriter.h>
#include <zip.h>

namespace quill {

// The formatter never converges on such lists.
// clang-format off
#define QUILL_ZIP_FUNCTIONS(X) \
  X(zip_source_buffer_create) X(zip_source_free) X(zip_open_from_source) X(zip_discard) X(zip_stat) X(zip_fopen) \
  X(zip_fread) X(zip_fclose) X(zip_close) X(zip_name_locate) X(zip_stat_index) X(zip_fopen_index) \
  X(zip_delete) X(zip_file_add) X(zip_file_set_dostime) X(zip_source_buffer) X(zip_source_keep) X(zip_source_open) \
  X(zip_source_read) X(zip_source_stat) X(zip_source_close) X(zip_set_file_compression)
#define QUILL_XLSXWRITER_FUNCTIONS(X) \
  X(workbook_new) X(workbook_add_worksheet) X(workbook_add_format) X(workbook_set_properties) X(workbook_close) \
  X(worksheet_write_number) X(worksheet_write_string) X(worksheet_write_boolean) X(worksheet_set_column) \
  X(worksheet_freeze_panes) X(format_set_num_format) X(format_set_bold) X(lxw_strerror)
// clang-format on

struct ZipLibrary {
#define X(name) decltype(&::name) name = nullptr;
  QUILL_ZIP_FUNCTIONS(X)
#undef X
};
struct XlsxwriterLibrary {
#define X(name) decltype(&::name) name = nullptr;
  QUILL_XLSXWRITER_FUNCTIONS(X)
#undef X
};

// Throws Error if the library is not installed.
const ZipLibrary& zip_library();
const XlsxwriterLibrary& xlsxwriter_library();

}  // namespace quill
