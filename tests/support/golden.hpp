// Holding what a program says against a file that a person read. GYRAX_REFRESH=1 writes the file anew; read the change.
#pragma once

#include <gyrax/files/text_file.hpp>

#include <doctest/doctest.h>

#include <cstdlib>
#include <string>

namespace gyrax::test {

inline void check_golden(const std::string& file, const std::string& now) {
  if (const char* refresh = std::getenv("GYRAX_REFRESH"); refresh != nullptr && *refresh == '1')
    REQUIRE_FALSE(write_text(file, now));
  CHECK(read_text(file, 1 << 24).text == now);
}

}  // namespace gyrax::test
