// Every byte of a name survives in JSON.
#include <gyrax/files/json_text.hpp>

#include "support/random.hpp"

#include <doctest/doctest.h>
#include <nlohmann/json.hpp>

#include <cstdlib>

using namespace gyrax;

namespace {

/// What somebody reads who takes \udcXX for the byte XX, and all else as it stands.
std::string bytes_of(const std::string& json) {
  std::string all;
  for (std::size_t at = 0; at < json.size(); ++at) {
    if (json.compare(at, 4, "\\udc") != 0) {
      all += json[at];
      continue;
    }
    all += static_cast<char>(std::strtol(json.substr(at + 4, 2).c_str(), nullptr, 16));
    at += 5;
  }
  return all;
}

}  // namespace

TEST_CASE("Text that is UTF-8 is written as it is; a byte that is none as \\udcXX") {
  const auto written = [](const std::string& text) { return dumped(nlohmann::ordered_json(text)); };
  CHECK(written("pad ü ☃ 😀") == "\"pad ü ☃ 😀\"");
  CHECK(written("pad \xff!") == "\"pad \\udcff!\"");
  CHECK(written("\xc3") == "\"\\udcc3\"");                                   // the half of a letter
  CHECK(written("\xed\xa0\x80") == "\"\\udced\\udca0\\udc80\"");             // half a pair is no character
  CHECK(written("\xc0\xaf") == "\"\\udcc0\\udcaf\"");                        // nor is what is longer than it has to be
  CHECK(written("\xf4\x8f\xbf\xbf") == "\"\\udcf4\\udc8f\\udcbf\\udcbf\"");  // what stands for bytes on the way
  CHECK(written("\xf4\x8f\x80\x80") == "\"\xf4\x8f\x80\x80\"");
  CHECK(dumped(nlohmann::ordered_json{{"a", {"\xfe"}}}, 2).find("\"\\udcfe\"") != std::string::npos);
}

TEST_CASE("Any bytes at all come back") {
  std::mt19937_64 random(test::seed());
  for (int i = 0; i < 2000; ++i) {
    std::string name;
    for (std::size_t n = random() % 12; n > 0; --n) {
      char byte = static_cast<char>(random() % 4 == 0 ? 0xf4 - random() % 3 : 0x80 + random() % 128);
      if (random() % 3 == 0) byte = static_cast<char>('a' + random() % 26);
      name += byte;
    }
    CHECK(bytes_of(dumped(nlohmann::ordered_json(name))) == "\"" + name + "\"");
  }
}
