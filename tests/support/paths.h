// Absolute paths of the program under test and of the project. Their values are in a file that CMake writes,
// so that the tests' own sources compile to the same objects in every checkout and preset.
#pragma once

namespace quill::test {

extern const char* const kProgram;    // build/PRESET/eager-quill
extern const char* const kSourceDir;  // root of the project
extern const char* const kLayers;     // list of layers, written by CMakeLists.txt

}  // namespace quill::test
