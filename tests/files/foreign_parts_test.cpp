// Files of HDF5 and NetCDF that refer to other files: nothing of those is read, on any way.
#include <fcntl.h>

#include <catch2/catch.hpp>
#include <functional>

#include "files/formats.h"
#include "files/hdf5_library.h"
#include "files/parts.h"
#include "support/program.h"

using namespace quill;
using namespace quill::test;

namespace {

// Any function of the library, by its type.
template <class F>
F* function(const char* name) {
  return reinterpret_cast<F*>(hdf5_function(name));
}

// Adds something to the open file; `other` is the path of another HDF5 file with a vector `secret`.
using Add = std::function<void(hid_t file, const std::string& other)>;

void add_vector(hid_t file, const char* name, hid_t creation = H5P_DEFAULT) {
  const auto& h = hdf5();
  const hsize_t extent = 3;
  const Hdf5Id space(h.H5Screate_simple(1, &extent, nullptr), h.H5Sclose);
  const Hdf5Id set(h.H5Dcreate2(file, name, h.H5T_NATIVE_DOUBLE_g, space, H5P_DEFAULT, creation, H5P_DEFAULT),
                   h.H5Oclose);
  REQUIRE(set >= 0);
  const double numbers[] = {1, 2, 3};
  if (creation == H5P_DEFAULT)
    REQUIRE(h.H5Dwrite(set, h.H5T_NATIVE_DOUBLE_g, H5S_ALL, H5S_ALL, H5P_DEFAULT, numbers) >= 0);
}

void add_link(hid_t group, const std::string& other, const char* target) {
  const auto create =
      function<herr_t(const char*, const char*, hid_t, const char*, hid_t, hid_t)>("H5Lcreate_external");
  REQUIRE(create(other.c_str(), target, group, "door", H5P_DEFAULT, H5P_DEFAULT) >= 0);
}

void add_stored_elsewhere(hid_t file, const std::string& other) {
  const auto& h = hdf5();
  const Hdf5Id creation(h.H5Pcreate(h.H5P_CLS_DATASET_CREATE_ID_g), h.H5Pclose);
  REQUIRE(function<herr_t(hid_t, const char*, off_t, hsize_t)>("H5Pset_external")(creation, other.c_str(), 0,
                                                                                  24) >= 0);
  add_vector(file, "level", creation);
}

void add_virtual(hid_t file, const std::string& other) {
  const auto& h = hdf5();
  const Hdf5Id creation(h.H5Pcreate(h.H5P_CLS_DATASET_CREATE_ID_g), h.H5Pclose);
  const hsize_t extent = 3;
  const Hdf5Id space(h.H5Screate_simple(1, &extent, nullptr), h.H5Sclose);
  REQUIRE(function<herr_t(hid_t, hid_t, const char*, const char*, hid_t)>("H5Pset_virtual")(
              creation, space, other.c_str(), "/secret", space) >= 0);
  add_vector(file, "level", creation);
}

void add_link_in_group(hid_t file, const std::string& other) {
  const auto& h = hdf5();
  // Read before the group, in the order of names, and leads through it.
  REQUIRE(function<herr_t(const char*, hid_t, const char*, hid_t, hid_t)>("H5Lcreate_soft")(
              "/group/door/secret", file, "a", H5P_DEFAULT, H5P_DEFAULT) >= 0);
  const Hdf5Id group(h.H5Gcreate2(file, "group", H5P_DEFAULT, H5P_DEFAULT, H5P_DEFAULT), h.H5Oclose);
  REQUIRE(group >= 0);
  add_link(group, other, "/");
}

struct Case {
  const char* message;
  Add add;
};
const std::vector<Case> kCases = {
    {"/door links to another file", [](hid_t file, const auto& other) { add_link(file, other, "/secret"); }},
    {"/door links to another file", [](hid_t file, const auto& other) { add_link(file, other, "/"); }},
    {"/group/door links to another file", add_link_in_group},
    {"/level stores its elements in another file", add_stored_elsewhere},
    {"/level stores its elements in another file", add_virtual},
};

// A file with the addition, made from nothing or from what the NetCDF writer makes.
std::string made(const TemporaryFolder& folder, bool is_netcdf, const Case& one) {
  const auto& h = hdf5();
  const auto path = folder.path("a.h5"), other = folder.path("other.h5");
  {
    const Hdf5Id file(h.H5Fcreate(other.c_str(), H5F_ACC_TRUNC, H5P_DEFAULT, H5P_DEFAULT), h.H5Fclose);
    add_vector(file, "secret");
  }
  if (is_netcdf) folder.write("a.h5", write_netcdf(data_of({{"x", Array::vector({1, 2})}}), {}));
  const Hdf5Id file(is_netcdf ? h.H5Fopen(path.c_str(), H5F_ACC_RDWR, H5P_DEFAULT)
                              : h.H5Fcreate(path.c_str(), H5F_ACC_TRUNC, H5P_DEFAULT, H5P_DEFAULT),
                    h.H5Fclose);
  REQUIRE(file >= 0);
  if (!is_netcdf) add_vector(file, "own");
  one.add(file, other);
  return path;
}

}  // namespace

TEST_CASE("files that refer to other files are refused by every reader") {
  const TemporaryFolder folder;
  for (const bool is_netcdf : {false, true})
    for (const auto& one : kCases) {
      const auto path = made(folder, is_netcdf, one);
      const auto bytes = read_text(path);
      const auto open = [&] {
        return std::make_shared<const OpenFile>(Descriptor(::open(path.c_str(), O_RDONLY | O_CLOEXEC)));
      };
      PartsDigest digest;
      const auto readers = std::to_array<std::function<void()>>(
          {[&] { read_hdf5(bytes, "a.h5", {}); }, [&] { read_netcdf(bytes, "a.h5", {}); },
           [&] { read_hdf5_attributes(bytes, "a.h5"); }, [&] { read_netcdf_attributes(bytes, "a.h5"); },
           [&] { open_netcdf(open(), "a.h5", nullptr); },
           [&] {
             if (!read_hdf5_file(*open(), "a.h5", digest, {})) open_netcdf(open(), "a.h5", nullptr);
           }});
      for (std::size_t k = 0; k < readers.size(); ++k) {
        CAPTURE(is_netcdf, one.message, k);
        CHECK_THROWS_WITH(readers[k](), "a.h5: " + std::string(one.message) +
                                            "; scripts can only read files that they name");
      }
    }
}

TEST_CASE("the library itself does not follow links to other files") {
  const auto& h = hdf5();
  const TemporaryFolder folder;
  const auto path = made(folder, false, kCases[0]);
  const Hdf5Id file(h.H5Fopen(path.c_str(), H5F_ACC_RDONLY, H5P_DEFAULT), h.H5Fclose);
  REQUIRE(file >= 0);
  CHECK(Hdf5Id(h.H5Oopen(file, "own", H5P_DEFAULT), h.H5Oclose) >= 0);
  CHECK(Hdf5Id(h.H5Oopen(file, "door", H5P_DEFAULT), h.H5Oclose) < 0);
  h.H5Eclear2(0);
}
