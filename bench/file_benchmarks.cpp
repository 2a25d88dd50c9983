#include "file_benchmarks.h"

#include <benchmark/benchmark.h>
#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <charconv>
#include <cstdio>
#include <string>
#include <vector>

#include "app/real_host.h"
#include "files/hdf5_library.h"
#include "session/session.h"
#include "twins.h"

namespace {

constexpr std::size_t kRows = 2000000;
const std::string kFolder = "/tmp/eager-quill-bench";

// Runs `prepare` once, then times the text.
void script(benchmark::State& state, const std::string& prepare, const std::string& text) {
  quill::RealHost host;
  quill::SilentOutput output;
  quill::SessionOptions options;
  options.out_folder = kFolder;
  quill::Session session(host, output, options);
  bool ok = session.run("prepare", prepare);
  for (auto _ : state) ok = session.run("bench", text) && ok;
  if (!ok) state.SkipWithError("the script failed");
}

std::vector<double> numbers() {
  std::vector<double> out(3 * kRows);
  for (std::size_t k = 0; k < out.size(); ++k) out[k] = static_cast<double>(k * 7919 % 4000037) / 4000037;
  return out;
}

bool write_file(const std::string& name, const std::string& bytes) {
  std::FILE* file = std::fopen((kFolder + "/" + name).c_str(), "wb");
  if (file == nullptr) return false;
  const bool fine = std::fwrite(bytes.data(), 1, bytes.size(), file) == bytes.size() &&
                    std::fflush(file) == 0 &&
                    fsync(fileno(file)) == 0;  // on the disk, as the program does it
  return std::fclose(file) == 0 && fine;
}

void save_by_hand(benchmark::State& state) {
  const auto x = numbers();
  for (auto _ : state) {
    std::string out = "a,b,c\n";
    char text[32];
    for (std::size_t k = 0; k < x.size(); ++k) {
      const auto end = std::to_chars(text, text + sizeof text, x[k]).ptr;
      out.append(text, end);
      out += k % 3 == 2 ? '\n' : ',';
    }
    if (!write_file("hand.csv", out)) state.SkipWithError("no file");
  }
}

void load_by_hand(benchmark::State& state) {
  for (auto _ : state) {
    std::FILE* file = std::fopen((kFolder + "/table.csv").c_str(), "rb");
    if (file == nullptr) return state.SkipWithError("no file");
    std::fseek(file, 0, SEEK_END);
    std::string text(static_cast<std::size_t>(std::ftell(file)), '\0');
    std::rewind(file);
    if (std::fread(text.data(), 1, text.size(), file) != text.size()) state.SkipWithError("no bytes");
    std::fclose(file);
    benchmark::DoNotOptimize(twins::table(text, 3));
  }
}

// A matrix of 160 MB by the library alone.
constexpr hsize_t kExtents[2] = {5000, 4000};

void hdf5_save_by_hand(benchmark::State& state) {
  const auto& h = quill::hdf5();
  const std::vector<double> x(kExtents[0] * kExtents[1], 0.5);
  for (auto _ : state) {
    const quill::Hdf5Id file(
        h.H5Fcreate((kFolder + "/bare.h5").c_str(), H5F_ACC_TRUNC, H5P_DEFAULT, H5P_DEFAULT), h.H5Fclose);
    const quill::Hdf5Id space(h.H5Screate_simple(2, kExtents, nullptr), h.H5Sclose);
    const quill::Hdf5Id set(
        h.H5Dcreate2(file, "m", h.H5T_NATIVE_DOUBLE_g, space, H5P_DEFAULT, H5P_DEFAULT, H5P_DEFAULT),
        h.H5Oclose);
    if (h.H5Dwrite(set, h.H5T_NATIVE_DOUBLE_g, H5S_ALL, H5S_ALL, H5P_DEFAULT, x.data()) < 0 ||
        h.H5Fflush(file, H5F_SCOPE_GLOBAL) < 0)
      state.SkipWithError("not written");
    const int written = ::open((kFolder + "/bare.h5").c_str(), O_RDONLY);
    if (written < 0 || fsync(written) != 0) state.SkipWithError("not on the disk");
    ::close(written);
  }
}

void hdf5_load_by_hand(benchmark::State& state) {
  const auto& h = quill::hdf5();
  for (auto _ : state) {
    std::vector<double> x(kExtents[0] * kExtents[1]);
    const quill::Hdf5Id file(h.H5Fopen((kFolder + "/field.h5").c_str(), H5F_ACC_RDONLY, H5P_DEFAULT),
                             h.H5Fclose);
    const quill::Hdf5Id set(h.H5Oopen(file, "m", H5P_DEFAULT), h.H5Oclose);
    if (h.H5Dread(set, h.H5T_NATIVE_DOUBLE_g, H5S_ALL, H5S_ALL, H5P_DEFAULT, x.data()) < 0)
      state.SkipWithError("not read");
    benchmark::DoNotOptimize(x.data());
  }
}

}  // namespace

void register_file_benchmarks() {
  using benchmark::RegisterBenchmark;
  const std::string table =
      fmt::format("x = random({0}, 3)\nt = (a: x[.., 1], b: x[.., 2], c: x[.., 3])", kRows);
  const auto add = [](const std::string& name, auto work) {
    RegisterBenchmark(name.c_str(), work)->Unit(benchmark::kMillisecond)->UseRealTime()->Repetitions(3);
  };
  add("save table/script", [table](benchmark::State& s) { script(s, table, "save(\"table.csv\", t)"); });
  add("save table/c++", save_by_hand);
  add("load table/script",
      [](benchmark::State& s) { script(s, "", "t = load(\"" + kFolder + "/table.csv\")"); });
  add("load table/c++", load_by_hand);
  add("save HDF5/script",
      [](benchmark::State& s) { script(s, "m = zeros(5000, 4000) + 0.5", "save(\"field.h5\", (m: m))"); });
  add("save HDF5/c++", hdf5_save_by_hand);
  add("load HDF5/script",
      [](benchmark::State& s) { script(s, "", "t = load(\"" + kFolder + "/field.h5\")"); });
  add("load HDF5/c++", hdf5_load_by_hand);
}
