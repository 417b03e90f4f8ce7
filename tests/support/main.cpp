#define DOCTEST_CONFIG_IMPLEMENT
#include "random.hpp"

#include <doctest/doctest.h>

#include <cstdio>
#include <cstdlib>

namespace gyrax::test {

std::uint64_t seed() {
  static const std::uint64_t value = [] {
    const char* given = std::getenv("GYRAX_SEED");
    return given != nullptr ? std::strtoull(given, nullptr, 10) : 20261123ull;
  }();
  return value;
}

}  // namespace gyrax::test

int main(int argc, char** argv) {
  doctest::Context context(argc, argv);
  std::printf("seed %llu (GYRAX_SEED sets another)\n", static_cast<unsigned long long>(gyrax::test::seed()));
  const int result = context.run();
  return result;
}
