// HDF5: there and back, what other programs write, and what they read.
#include <fcntl.h>
#include <sys/file.h>

#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <functional>
#include <set>

#include "files/formats.h"
#include "files/hdf5_library.h"
#include "files/parts.h"
#include "support/paths.h"
#include "support/program.h"
#include "support/script.h"
#include "support/small_blocks.h"

using namespace quill;
using namespace quill::test;

namespace {

bool comes_back(const std::string& value, const std::string& options = "") {
  MemoryHost host;
  TestSession session(host, {});
  const bool ran = session.run("test.eq", "v = " + value + "\nsave(\"v.h5\", v" + options +
                                              ")\nw = load(\"v.h5\")\nexpect same(v, w)");
  CAPTURE(value, host.messages);
  CHECK(ran);
  return ran;
}

const std::vector<std::string> kValues = {"[true, false]",
                                          "true",
                                          "[1 + 2i, -3i]",
                                          "2i",
                                          "\"süd\\nand more\"",
                                          "\"\"",
                                          "[\"a\", \"long text\", \"\"]",
                                          "reshape([\"a\", \"b\", \"c\", \"d\"], 2, 2)",
                                          "none",
                                          "list(1, \"a\", none, [1, 2], list(3))",
                                          "(a: 1, b: (c: [1, 2], d: \"x\"), e: none)",
                                          "(value: 3)",
                                          "timestamp([\"2026-06-01\", \"2026-06-02T12:00\"])",
                                          "[nan, inf, -inf, -0.0, 1e-310]",
                                          "int64([-9223372036854775807, 9223372036854775807])",
                                          "reshape(1..6, 2, 3)'",
                                          "(1..100)[1..100 by 7]"};

// A file of one vector as the library writes it when nothing else is asked for.
std::string old_form(const std::vector<double>& level) {
  const auto& h = hdf5();
  const TemporaryFolder folder;
  const auto path = folder.path("a.h5");
  {
    const Hdf5Id file(h.H5Fcreate(path.c_str(), H5F_ACC_TRUNC, H5P_DEFAULT, H5P_DEFAULT), h.H5Fclose);
    const hsize_t extent = level.size();
    const Hdf5Id space(h.H5Screate_simple(1, &extent, nullptr), h.H5Sclose);
    const Hdf5Id set(
        h.H5Dcreate2(file, "level", h.H5T_NATIVE_DOUBLE_g, space, H5P_DEFAULT, H5P_DEFAULT, H5P_DEFAULT),
        h.H5Oclose);
    REQUIRE(h.H5Dwrite(set, h.H5T_NATIVE_DOUBLE_g, H5S_ALL, H5S_ALL, H5P_DEFAULT, level.data()) >= 0);
  }
  return read_text(path);
}

bool has_tools() { return run_program("/usr/bin/h5dump", {"--version"}).status == 0; }

}  // namespace

TEST_CASE("every element type, shape and kind of value comes back from HDF5") {
  for (const char* type : {"float64", "float32", "int32", "int64", "uint8"})
    for (const char* shape :
         {"[1, 2, 3]", "reshape(1..24, 2, 3, 4)", "[1, 2 | 3, 4]", "zeros(0)", "zeros(3, 0)", "5"})
      for (const char* options : {"", ", compression: 5"})
        comes_back(std::string(type) + "(" + shape + ")", options);
  for (const auto& value : kValues) comes_back(value);
  comes_back("random(300, 500)", ", compression: 1");
  comes_back("random(500000)", ", compression: 1");
}

TEST_CASE("values come back from HDF5 files that are read without their bytes in memory") {
  const AllFilesInParts large;
  for (const auto& value : kValues) {
    comes_back(value);
    comes_back(value, ", compression: 5");
  }
  comes_back("random(3000, 1500)");  // more than one piece of the digest
  // The older form of the file, which is read on trial first.
  MemoryHost host;
  host.files["a.h5"] = old_form({1.5, 2, -3});
  TestSession session(host, {});
  const bool ran = session.run("test.eq", "expect same(load(\"a.h5\").level, [1.5, 2, -3])");
  CAPTURE(host.messages);
  CHECK(ran);
}

TEST_CASE("the digest of an HDF5 file read in parts tells every change of what was read") {
  const auto digest_of = [](const std::string& bytes) {
    PartsDigest digest;
    REQUIRE(read_hdf5_file(OpenFile(bytes), "a.h5", digest, {}));
    return digest.text();
  };
  std::set<std::string> seen;
  const auto texts = [](std::vector<std::string> all) { return Data::of(Array::vector(all)); };
  const auto labelled = [](const char* unit) {
    auto out = Array::vector({1, 2});
    out.label = std::make_shared<const Label>(Label{"level", unit});
    return Data::of(out);
  };
  const auto record = [](const char* name, Data data) {
    Data out;
    out.kind = Data::Kind::record;
    out.add(name, std::move(data));
    return out;
  };
  auto large = Array::filled<double>({5000000}, 1.5);
  auto changed = large;
  changed.mutable_data<double>()[4321987] = 1.25;
  const std::vector<Data> different = {Data::of(Array::vector({1, 2})),
                                       Data::of(Array::vector({1, 3})),
                                       Data::of(Array::vector({1, 2}).converted(ElementType::float32)),
                                       Data::of(Array::vector({1, 2}).with_shape({1, 2})),
                                       Data::of(Array::vector({1, 2}).with_shape({2, 1})),
                                       record("a", Data::of(Array::vector({1, 2}))),
                                       record("b", Data::of(Array::vector({1, 2}))),
                                       record("b", record("a", Data::of(Array::vector({1, 2})))),
                                       record("a", labelled("m")),
                                       record("a", labelled("cm")),
                                       texts({"1", "2"}),
                                       texts({"12", ""}),
                                       Data::of(large),
                                       Data::of(changed),
                                       {}};
  for (const auto& data : different) {
    const auto bytes = write_hdf5(data, {});
    CHECK(digest_of(bytes) == digest_of(bytes));
    CHECK(seen.insert(digest_of(bytes)).second);
  }
}

TEST_CASE("an HDF5 file that changes while it is open, or that another program writes, is an error") {
  const auto bytes = write_hdf5(Data::of(Array::vector({1, 2, 3})), {});
  const TemporaryFolder folder;
  const auto path = folder.path("a.h5");
  const auto opened = [&] {
    return std::make_shared<const OpenFile>(Descriptor(::open(path.c_str(), O_RDONLY | O_CLOEXEC)));
  };
  PartsDigest digest;
  const auto changes =
      std::to_array<std::function<void()>>({[&] { std::filesystem::resize_file(path, bytes.size() - 100); },
                                            [&] { std::ofstream(path, std::ios::app) << "more"; }});
  for (const auto& change : changes) {
    folder.write("a.h5", bytes);
    const auto file = opened();
    CHECK(read_hdf5_file(*file, "a.h5", digest, {}));
    change();
    CHECK_THROWS_WITH(read_hdf5_file(*file, "a.h5", digest, {}), "a.h5 has changed while it was open");
  }
  folder.write("a.h5", bytes);
  const Descriptor writer(::open(path.c_str(), O_RDWR | O_CLOEXEC));
  REQUIRE(::flock(writer.get(), LOCK_EX) == 0);
  const std::string locked = "cannot read a.h5 while another program has it open for writing";
  CHECK_THROWS_WITH(read_hdf5_file(*opened(), "a.h5", digest, {}), locked);
  CHECK_THROWS_WITH(open_netcdf(opened(), "a.h5", nullptr), locked);
  CHECK(::flock(writer.get(), LOCK_UN) == 0);
  CHECK(read_hdf5_file(*opened(), "a.h5", digest, {}));
}

TEST_CASE("names, units, order of fields and attributes survive") {
  MemoryHost host;
  host.files["t.csv"] = "depth (m),temperature (°C)\n1,2.5\n2,3.5\n";
  TestSession session(host, {});
  const bool ran = session.run("test.eq", R"(t = load("t.csv")
save("t.h5", (z: t.temperature, a: t.depth, whole: t),
     attributes: (lake: "Velm", dates: [1, 2], z: (sensor: "chain", gain: 1.5)))
back = load("t.h5", attributes: true)
w = back.value
save("again.h5", w, attributes: back.attributes)
expect same(load("again.h5", attributes: true).attributes, back.attributes)
expect back.attributes.lake == "Velm" and back.attributes.z.gain == 1.5
w.whole)");
  CAPTURE(host.messages);
  REQUIRE(ran);
  CHECK(host.printed.find("°C") != std::string::npos);
  const auto file = read_hdf5(host.files.at("out/t.h5"), "t.h5", {});
  REQUIRE(file.names == std::vector<std::string>{"z", "a", "whole"});
  REQUIRE(file.items[0].array.label);
  CHECK(file.items[0].array.label->name == "temperature");
  CHECK(file.items[0].array.label->unit == "°C");
  CHECK(file.items[2].items[0].array.label->unit == "m");
}

TEST_CASE("the same value is the same file, and a file says what is wrong with it") {
  const auto data = Data::of(Array::vector({1, 2, 3}));
  CHECK(write_hdf5(data, {}) == write_hdf5(data, {}));
  check_errors(
      {{"save(\"x.h5\", fn(x) = x)", "a function cannot be written to a file", ""},
       {"save(\"x.h5\", 1, compression: 10)", "save: `compression` must be an integer from 0 to 9, not 10",
        ""},
       {"save(\"x.csv\", [1], compression: 1)",
        "save: `compression` is only available for NetCDF and HDF5 files, and x.csv has another format", ""},
       {"save(\"x.h5\", (a: 1), attributes: (b: (c: 1)))",
        "there are attributes for b, but nothing with that name is saved", ""}});
  CHECK_THROWS_WITH(read_hdf5("\x89HDF\r\n\x1a\n and no more", "x.h5", {}),
                    Catch::StartsWith("x.h5 is damaged or not an HDF5 file: "));
}

TEST_CASE("Debian's tools for HDF5 read what is written, and write what is read") {
  if (!has_tools()) {
    WARN("h5dump and h5import are not installed");
    return;
  }
  const TemporaryFolder folder;
  const auto quill_run = [&](const std::string& script) {
    folder.write("s.eq", script);
    const auto r = run_program(kProgram, {"run", "s.eq", "--out", "."}, "", folder.path());
    CAPTURE(script, r.err);
    CHECK(r.status == 0);
    return r.out;
  };
  quill_run("save(\"v.h5\", (m: [1.5, 2 | 3, 4], n: int32([7, 8]), t: \"Velm\", g: (deep: true)))");
  const auto dump = run_program("/usr/bin/h5dump", {folder.path("v.h5")});
  CHECK(dump.status == 0);
  for (const char* part : {"H5T_IEEE_F64LE", "(0,0): 1.5, 2,", "H5T_STD_I32LE", "(0): 7, 8", "\"Velm\"",
                           "GROUP \"g\"", "(0): TRUE"})
    CHECK(dump.out.find(part) != std::string::npos);
  folder.write("in.txt", "1.5 2.5 3.5\n4.5 5.5 6.5\n");
  folder.write("conf.txt",
               "PATH field/depth\nINPUT-CLASS TEXTFP\nRANK 2\nDIMENSION-SIZES 2 3\nOUTPUT-CLASS FP\n"
               "OUTPUT-SIZE 64\nOUTPUT-ARCHITECTURE NATIVE\n");
  const auto made =
      run_program("/usr/bin/h5import", {"in.txt", "-c", "conf.txt", "-o", "made.h5"}, "", folder.path());
  REQUIRE(made.status == 0);
  CHECK(quill_run("m = load(\"made.h5\")\nexpect same(m.field.depth, [1.5, 2.5, 3.5 | 4.5, 5.5, "
                  "6.5])\nprint(m.field.depth[2, 3])") == "6.5\n");
  // Integers of other sizes, big end first.
  for (const char* form : {"OUTPUT-SIZE 16\nOUTPUT-ARCHITECTURE STD\nOUTPUT-BYTE-ORDER BE\n",
                           "OUTPUT-SIZE 8\n", "OUTPUT-SIZE 64\n"}) {
    folder.write("in.txt", "1 -2 100\n");
    folder.write(
        "conf.txt",
        std::string("PATH n\nINPUT-CLASS TEXTIN\nRANK 1\nDIMENSION-SIZES 3\nOUTPUT-CLASS IN\n") + form);
    std::filesystem::remove(folder.path("n.h5"));
    REQUIRE(run_program("/usr/bin/h5import", {"in.txt", "-c", "conf.txt", "-o", "n.h5"}, "", folder.path())
                .status == 0);
    quill_run("expect all(load(\"n.h5\").n == [1, -2, 100])");
  }
}

TEST_CASE("numbers that stand for nothing, scales and offsets of variables are what their attributes say") {
  MemoryHost host;
  TestSession session(host, {});
  const bool ran = session.run("test.eq", R"(raw = int32([1, -999, 3, -1])
save("t.h5", (packed: raw, level: [0.5, -1e30, 2], count: int64([1, 2, 3])),
     attributes: (packed: {"_FillValue": -999, "missing_value": [-1, -2], "scale_factor": 0.5, "add_offset": 10},
                  level: {"_FillValue": -1e30, "sensor": "chain"}, count: {"_FillValue": -1}))
t = load("t.h5")
expect same(t.packed, [10.5, nan, 11.5, nan])
expect same(t.level, [0.5, nan, 2])
expect same(t.count, int64([1, 2, 3]))
# What has been applied is not written again.
back = load("t.h5", attributes: true)
save("again.h5", back.value, attributes: back.attributes)
expect same(load("again.h5"), t)
expect back.attributes.level.sensor == "chain"
)");
  CAPTURE(host.messages);
  CHECK(ran);
}
