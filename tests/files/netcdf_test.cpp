// NetCDF files: made by other programs, written and read back, and damaged.
#include <fcntl.h>

#include <array>
#include <catch2/catch.hpp>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <functional>
#include <limits>
#include <random>

#include "base/error.h"
#include "base/time_text.h"
#include "files/conventions.h"
#include "files/formats.h"
#include "files/parts.h"
#include "support/effort.h"
#include "support/program.h"

using namespace quill;
using namespace quill::test;

namespace netcdf_test {

namespace {

const char* const kChain = R"(netcdf chain {
dimensions:
  time = UNLIMITED ; depth = 4 ; strlen = 8 ; station = 2 ;
variables:
  double time(time) ; time:units = "hours since 2026-06-01 06:00:00" ; time:calendar = "standard" ;
  float depth(depth) ; depth:units = "m" ; depth:positive = "down" ; depth:long_name = "depth of the sensor" ;
  short temp(time, depth) ; temp:units = "degC" ; temp:scale_factor = 0.01 ; temp:add_offset = 10. ;
    temp:_FillValue = -999s ; temp:valid_range = -1000s, 3000s ; temp:cell_methods = "time: mean" ;
  byte flag(time) ; flag:_Unsigned = "true" ;
  byte signed(time) ;
  short wide(time) ; wide:_Unsigned = "true" ; wide:missing_value = -1s ;
  char name(station, strlen) ;
  int count(depth) ;
  int whole(depth) ;
  float speed(depth) ; speed:valid_min = 0.f ; speed:valid_max = 5.f ;
  double odd(time) ; odd:units = "days since 2000-01-01" ; odd:calendar = "360_day" ;
  double early(time) ; early:units = "days since 1500-01-01" ;
  double months(time) ; months:units = "months since 2000-01-01" ;
  float level ; level:units = "m" ;
  :title = "Thermistor chain of Lake Velm" ;
  :version = 3 ;
data:
  time = 0, 1, 2.5 ; depth = 0.5, 2, 4, 6 ;
  temp = 100, 200, -999, 400, 2999, 3001, 1, 2, 3, -1000, -1001, 0 ;
  flag = 1, -1, -128 ; signed = 1, -1, -128 ; wide = 1, -1, -2 ; name = "north", "east" ;
  count = 1, _, 3, 4 ; whole = 1, 2, 3, 4 ; speed = 1, -1, 5, 5.5 ;
  odd = 1, 2, 3 ; early = 1, 2, 3 ; months = 1, 2, 3 ; level = 1.5 ;
}
)";

// The bytes that ncgen makes of a description, in one of its forms.
std::string generated(const std::string& text, const std::string& form) {
  const TemporaryFolder folder;
  folder.write("a.cdl", text);
  const auto ran = run_program("/usr/bin/ncgen", {"-k", form, "-o", "a.nc", "a.cdl"}, "", folder.path());
  CAPTURE(ran.err);
  REQUIRE(ran.status == 0);
  return folder.read("a.nc");
}

const Array& field(const Data& data, const std::string& name) {
  const auto found = std::find(data.names.begin(), data.names.end(), name);
  REQUIRE(found != data.names.end());
  return data.items[static_cast<std::size_t>(found - data.names.begin())].array;
}

bool is_same(const Array& a, const Array& b) {
  if (a.type() != b.type() || a.shape() != b.shape()) return false;
  if (a.type() == ElementType::text) return a.to_vector<std::string>() == b.to_vector<std::string>();
  return visit_numeric(a.type(), [&]<class T>(Tag<T>) {
    const auto x = a.to_vector<T>(), y = b.to_vector<T>();
    return std::equal(x.begin(), x.end(), y.begin(), y.end(),
                      [](T p, T q) { return p == q || (p != p && q != q); });
  });
}

std::vector<double> numbers(const Data& data, const std::string& name) {
  return field(data, name).converted(ElementType::float64).to_vector<double>();
}

}  // namespace

}  // namespace netcdf_test

using namespace netcdf_test;

TEST_CASE("variables of NetCDF files in every form are decoded by the conventions") {
  for (const std::string form :
       {"classic", "64-bit offset", "64-bit data", "netCDF-4", "netCDF-4 classic model"}) {
    CAPTURE(form);
    std::vector<std::string> warnings;
    CsvOptions options;
    options.warn = [&](const std::string& message, const std::string&) { warnings.push_back(message); };
    const auto bytes = generated(kChain, form);
    const auto d = read_netcdf(bytes, "chain.nc", options);
    CHECK(d.names.front() == "time");
    const double start = *parse_time("2026-06-01T06:00");
    CHECK(numbers(d, "time") == std::vector{start, start + 3600, start + 9000});
    CHECK(holds_times(field(d, "time")));
    CHECK(field(d, "depth").type() == ElementType::float32);
    CHECK(field(d, "depth").label->unit == "m");
    CHECK(field(d, "depth").label->name == "depth of the sensor");
    const auto temp = numbers(d, "temp");
    CHECK(field(d, "temp").shape() == Shape{3, 4});
    CHECK(field(d, "temp").label->unit == "degC");
    for (const auto& [at, wanted] :
         {std::pair(0, 11.0), {1, 12.0}, {3, 14.0}, {4, 39.99}, {6, 10.01}, {9, 0.0}, {11, 10.0}})
      CHECK(temp[static_cast<std::size_t>(at)] == Approx(wanted).epsilon(1e-14).margin(1e-12));
    for (const std::size_t at : {2, 5, 10}) CHECK(std::isnan(temp[at]));
    CHECK(numbers(d, "flag") == std::vector<double>{1, 255, 128});
    CHECK(numbers(d, "signed") == std::vector<double>{1, -1, -128});
    CHECK(
        (numbers(d, "wide")[0] == 1 && std::isnan(numbers(d, "wide")[1]) && numbers(d, "wide")[2] == 65534));
    CHECK(field(d, "name").to_vector<std::string>() == std::vector<std::string>{"north", "east"});
    CHECK(std::isnan(numbers(d, "count")[1]));
    CHECK(field(d, "whole").type() == ElementType::int32);
    CHECK(field(d, "speed").type() == ElementType::float32);
    CHECK((std::isnan(numbers(d, "speed")[1]) && numbers(d, "speed")[2] == 5 &&
           std::isnan(numbers(d, "speed")[3])));
    CHECK(field(d, "level").axes() == 0);
    // Times without dates that agree with timestamps stay numbers, and that is reported.
    CHECK(numbers(d, "odd") == std::vector<double>{1, 2, 3});
    CHECK(field(d, "odd").label->unit == "days since 2000-01-01");
    CHECK(warnings.size() == 3);
    const auto attributes = read_netcdf_attributes(bytes, "chain.nc");
    CHECK(field(attributes, "title").to_vector<std::string>()[0] == "Thermistor chain of Lake Velm");
    CHECK(numbers(attributes, "version") == std::vector<double>{3});
  }
}

TEST_CASE("values of every type and shape come back from a NetCDF file") {
  std::mt19937_64 random(21);
  for (int round = 0; round < repeats(60); ++round) {
    Data data;
    data.kind = Data::Kind::record;
    const auto count = 1 + random() % 6;
    for (std::size_t k = 0; k < count; ++k) {
      Shape shape;
      for (int axis = 0, axes = static_cast<int>(random() % 4); axis < axes; ++axis)
        shape.insert(axis, static_cast<Index>(random() % 4 + (axis > 0)));
      const auto type = static_cast<ElementType>(random() % 8);
      if (type == ElementType::complex128) continue;
      Array a(type, shape);
      if (type == ElementType::text) {
        for (Index e = 0; e < a.size(); ++e)
          a.mutable_data<std::string>()[e] = std::string(random() % 5, 'a') + (random() % 2 ? "é" : "");
      } else if (a.size() > 0) {
        visit_numeric(type, [&]<class T>(Tag<T>) {
          auto* to = a.template mutable_data<T>();
          for (Index e = 0; e < a.size(); ++e)
            if constexpr (std::is_same_v<T, bool>)
              to[e] = random() % 2;
            else if constexpr (std::is_floating_point_v<T>)
              to[e] = random() % 5 ? static_cast<T>(std::ldexp(static_cast<double>(random()),
                                                               static_cast<int>(random() % 80) - 100))
                                   : std::numeric_limits<T>::quiet_NaN();
            else if constexpr (std::is_integral_v<T>)
              to[e] = static_cast<T>(random());
        });
      }
      if (random() % 2 && type != ElementType::boolean && type != ElementType::text)
        a.label = std::make_shared<Label>(Label{"", "m s-1"});
      data.add("v" + std::to_string(k), Data::of(std::move(a)));
    }
    const auto back = read_netcdf(write_netcdf(data, {}), "a.nc", {});
    REQUIRE(back.names == data.names);
    for (std::size_t k = 0; k < data.items.size(); ++k) {
      CAPTURE(round, k, name_of(data.items[k].array.type()), text_of(data.items[k].array.shape()));
      CHECK(is_same(back.items[k].array, data.items[k].array));
      if (const auto& label = data.items[k].array.label)
        CHECK((back.items[k].array.label && back.items[k].array.label->unit == label->unit));
    }
  }
}

TEST_CASE("other programs read what is written: names, units, coordinates, groups, attributes") {
  Data data, attributes, of_temp, group;
  data.kind = attributes.kind = of_temp.kind = group.kind = Data::Kind::record;
  auto time = Array::vector(std::vector<double>{1780293600, 1780297200, 1780300800});
  time.label = std::make_shared<Label>(Label{"", std::string(kTimeUnit)});
  auto depth = Array::vector(std::vector<double>{0.5, 2, 4});
  depth.label = std::make_shared<Label>(Label{"depth of the sensor", "m"});
  data.add("time", Data::of(time));
  data.add("depth", Data::of(depth));
  data.add("temp", Data::of(Array::of<double>({3, 3}, std::vector<double>{1, 2, 3, 4, 5, 6, 7, 8, 9})));
  data.add("site", Data::of(Array::vector(std::vector<std::string>{"a", "b", "c"})));
  group.add("count", Data::of(Array::single(3)));
  data.add("station", group);
  of_temp.add("cell_methods", Data::of(Array::filled<std::string>({}, "time: mean")));
  attributes.add("temp", of_temp);
  attributes.add("title", Data::of(Array::filled<std::string>({}, "Lake Velm")));
  SaveOptions options;
  options.attributes = &attributes;
  options.compression = 4;
  const TemporaryFolder folder;
  folder.write("a.nc", write_netcdf(data, options));
  const auto shown = run_program("/usr/bin/ncdump", {"a.nc"}, "", folder.path()).out;
  for (const std::string line :
       {"double temp(time, depth)", "double depth(depth)", "depth:units = \"m\"",
        "depth:long_name = \"depth of the sensor\"", "time:units = \"seconds since 1970-01-01 00:00:00\"",
        "string site(time)", "temp:cell_methods = \"time: mean\"", ":title = \"Lake Velm\"",
        ":Conventions = \"CF-1.10\"", "group: station", "1780293600, 1780297200, 1780300800"})
    CHECK(has(shown, line));
  const auto back = read_netcdf(folder.read("a.nc"), "a.nc", {});
  CHECK(holds_times(field(back, "time")));
  CHECK(back.names == data.names);
}

TEST_CASE("what a NetCDF file cannot contain is an error") {
  const auto error = [](Data data) {
    try {
      write_netcdf(data, {});
    } catch (const Error& e) { return e.message; }
    return std::string();
  };
  Data record;
  record.kind = Data::Kind::record;
  record.add("z", Data::of(Array::filled<Complex>({2}, Complex(1, 2))));
  CHECK(error(record) == "z is complex, which a NetCDF file cannot contain");
  CHECK(error(Data::of(Array::single(1))) == "a NetCDF file contains variables with names");
  record = {};
  record.kind = Data::Kind::record;
  record.add("a/b", Data::of(Array::single(1)));
  CHECK(has(error(record), "the name of a variable"));
  record.names[0] = "t";
  record.items[0] = Data::of(Array::filled<std::string>({}, std::string("a\0b", 3)));
  CHECK(has(error(record), "NUL"));
  CHECK_THROWS_AS(read_netcdf("no file of data", "a.nc", {}), Error);
  CHECK_THROWS_AS(read_netcdf("", "a.nc", {}), Error);
}

TEST_CASE("damaged NetCDF files are errors, or other values") {
  std::mt19937 random(171);
  for (const std::string form : {"classic", "64-bit data", "netCDF-4"}) {
    const auto whole = generated(kChain, form);
    for (int round = 0; round < repeats(form == "netCDF-4" ? 60 : 200); ++round) {
      auto bytes = whole;
      for (auto n = 1 + random() % 4; n > 0; --n)
        bytes[random() % bytes.size()] = static_cast<char>(random());
      if (random() % 4 == 0) bytes.resize(random() % bytes.size());
      try {
        read_netcdf(bytes, "damaged.nc", {});
      } catch (const Error& error) {
        CAPTURE(form, error.message);
        CHECK(has(error.message, "damaged.nc"));
      }
    }
  }
}

TEST_CASE("a file that changes or ends while it is open is an error") {
  const auto bytes = write_netcdf(data_of({{"x", Array::filled<double>({5000}, 1.5)}}), {});
  const auto changes = std::to_array<std::function<void(const std::string&)>>(
      {[](const std::string& path) { std::filesystem::resize_file(path, 100); },
       [](const std::string& path) { std::ofstream(path, std::ios::app) << "more"; }});
  for (const auto& change : changes) {
    const TemporaryFolder folder;
    folder.write("a.nc", bytes);
    const auto path = folder.path("a.nc");
    const auto opened =
        std::make_shared<const OpenFile>(Descriptor(::open(path.c_str(), O_RDONLY | O_CLOEXEC)));
    const auto file = open_netcdf(opened, "a.nc", nullptr);
    const auto v = file->variable(file->root(), 0);
    CHECK(file->numbers(v, {{10}, {5}, {2}}).to_vector<double>() == std::vector<double>(5, 1.5));
    change(path);
    std::string message;
    try {
      file->numbers(v, BlockPart::whole(v.shape));
    } catch (const Error& error) { message = error.message; }
    CHECK(message == "a.nc has changed while it was open");
  }
}

TEST_CASE("parts of damaged files are read, or end in errors") {
  std::mt19937_64 random(71);
  const auto chain = Array::filled<float>({40, 6}, 7.25F);
  SaveOptions packed;
  packed.compression = 1;
  const auto data = data_of({{"temp", chain}, {"when", Array::filled<double>({40}, 3)}});
  for (const auto& bytes : {write_netcdf(data, {}), write_netcdf(data, packed), generated(kChain, "classic")})
    for (int round = 0; round < repeats(30); ++round) {
      auto damaged = bytes;
      for (auto n = 1 + random() % 5; n > 0; --n)
        damaged[random() % damaged.size()] = static_cast<char>(random() % 256);
      if (random() % 8 == 0) damaged.resize(8 + random() % damaged.size());
      try {
        const auto file = open_netcdf(std::make_shared<const OpenFile>(damaged), "a.nc", nullptr);
        PartsWanted wanted;
        wanted.only = {"temp"};
        wanted.ranges = {{"time", 1, 1, 1, true}};
        read_parts(*file, wanted, {});
      } catch (const Error& error) { CHECK(!error.message.empty()); }
    }
}
