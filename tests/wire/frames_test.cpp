// Frames on the wire: this end's code and the far end's (firmware/), held to the same bytes.
#include "../../firmware/gyrax_wire.h"
#include "support/random.hpp"

#include <gyrax/wire/frames.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <array>
#include <fstream>
#include <optional>
#include <sstream>
#include <string>
#include <vector>

using namespace gyrax;

namespace {

using Bytes = std::vector<std::uint8_t>;

/// A frame with a payload of its own.
struct Whole {
  unsigned version = 1, kind = 0, address = 0, sequence = 0;
  std::uint32_t session = 0;
  Bytes payload;
  bool operator==(const Whole&) const = default;
};

Bytes near_packs(const Whole& f) {
  Bytes bytes(wire::max_frame);
  bytes.resize(
      wire::pack({static_cast<wire::Kind>(f.kind), static_cast<std::uint8_t>(f.address),
                  static_cast<std::uint16_t>(f.sequence), f.session, f.payload, static_cast<std::uint8_t>(f.version)},
                 bytes));
  return bytes;
}
Bytes far_packs(const Whole& f) {
  Bytes bytes(GYRAX_FRAME_BYTES);
  const gyrax_frame frame{static_cast<std::uint8_t>(f.version),
                          static_cast<std::uint8_t>(f.kind),
                          static_cast<std::uint8_t>(f.address),
                          static_cast<std::uint16_t>(f.sequence),
                          f.session,
                          f.payload.data(),
                          static_cast<std::uint8_t>(f.payload.size())};
  bytes.resize(gyrax_pack(&frame, bytes.data()));
  return bytes;
}

std::vector<Whole> near_takes(const Bytes& bytes) {
  wire::Receiver in;
  std::vector<Whole> all;
  for (const std::uint8_t byte : bytes) {
    if (!in.take(byte)) continue;
    const wire::Frame& f = in.frame();
    all.push_back({f.version,
                   static_cast<unsigned>(f.kind),
                   f.address,
                   f.sequence,
                   f.session,
                   {f.payload.begin(), f.payload.end()}});
  }
  return all;
}
std::vector<Whole> far_takes(const Bytes& bytes) {
  gyrax_receiver in{};
  std::vector<Whole> all;
  gyrax_frame f;
  for (const std::uint8_t byte : bytes)
    if (gyrax_take(&in, byte, &f) != 0)
      all.push_back({f.version, f.kind, f.address, f.sequence, f.session, {f.payload, f.payload + f.size}});
  return all;
}

Bytes from_hex(const std::string& text) {
  Bytes bytes;
  if (text == "-") return bytes;
  for (std::size_t i = 0; i + 1 < text.size(); i += 2)
    bytes.push_back(static_cast<std::uint8_t>(std::stoi(text.substr(i, 2), nullptr, 16)));
  return bytes;
}

struct Vector {
  std::string name;
  std::optional<Whole> frame;
  Bytes bytes;
};
std::vector<Vector> vectors() {
  std::ifstream in("firmware/vectors.txt");
  std::vector<Vector> all;
  for (std::string line; std::getline(in, line);) {
    if (line.starts_with("#")) continue;
    std::istringstream words(line);
    std::string first, session, payload;
    words >> first;
    if (!line.starts_with("  ")) {
      all.push_back({line, {}, {}});
    } else if (first == "frame") {
      Whole f;
      words >> f.version >> f.kind >> f.address >> f.sequence >> session >> payload;
      f.session = static_cast<std::uint32_t>(std::stoul(session, nullptr, 16));
      f.payload = from_hex(payload);
      all.back().frame = f;
    } else if (first == "bytes") {
      words >> payload;
      all.back().bytes = from_hex(payload);
    }
  }
  return all;
}

Whole any_frame(test::Random& random) {
  Whole f{static_cast<unsigned>(random.whole(0, 15)),           static_cast<unsigned>(random.whole(0, 15)),
          static_cast<unsigned>(random.whole(0, 255)),          static_cast<unsigned>(random.whole(0, 65535)),
          static_cast<std::uint32_t>(random.whole(0, 1 << 30)), {}};
  f.payload.resize(static_cast<std::size_t>(random.whole(0, GYRAX_PAYLOAD_BYTES)));
  const bool zeros = random.chance(0.3);
  for (std::uint8_t& byte : f.payload) byte = static_cast<std::uint8_t>(random.whole(0, zeros ? 1 : 255));
  return f;
}

}  // namespace

TEST_CASE("Both ends have the bytes of firmware/vectors.txt") {
  std::size_t whole = 0, spoiled = 0;
  for (const Vector& v : vectors()) {
    CAPTURE(v.name);
    REQUIRE(!v.bytes.empty());
    if (!v.frame) {
      ++spoiled;
      CHECK(near_takes(v.bytes).empty());
      CHECK(far_takes(v.bytes).empty());
      continue;
    }
    ++whole;
    CHECK(near_packs(*v.frame) == v.bytes);
    CHECK(far_packs(*v.frame) == v.bytes);
    CHECK(near_takes(v.bytes) == std::vector{*v.frame});
    CHECK(far_takes(v.bytes) == std::vector{*v.frame});
  }
  CHECK(whole == 19);
  CHECK(spoiled == 8);
}

TEST_CASE("A frame is found again after any garbage, by both ends alike, and no spoiled one is taken") {
  test::Random random;
  std::size_t frames = 0, spoiled = 0;
  for (int round = 0; round < 20'000; ++round) {
    const Whole f = any_frame(random);
    Bytes good = near_packs(f);
    REQUIRE(good == far_packs(f));
    Bytes stream;
    for (int i = random.whole(0, 40); i > 0; --i) stream.push_back(static_cast<std::uint8_t>(random.whole(0, 255)));
    // The zero that begins a frame ends the garbage before it.
    const bool spoil = random.chance(0.5);
    if (spoil) {
      ++spoiled;
      const auto at = static_cast<std::size_t>(random.whole(1, static_cast<int>(good.size()) - 2));
      switch (random.whole(0, 2)) {
        case 0: good[at] = static_cast<std::uint8_t>(good[at] ^ (1 << random.whole(0, 7))); break;
        case 1: good.erase(good.begin() + static_cast<std::ptrdiff_t>(at)); break;
        default: good.insert(good.begin() + static_cast<std::ptrdiff_t>(at), 0x55);
      }
    }
    stream.insert(stream.end(), good.begin(), good.end());
    const std::vector<Whole> near = near_takes(stream);
    REQUIRE(near == far_takes(stream));
    if (spoil)
      CHECK(near.empty());
    else
      CHECK(near == std::vector{f});
    frames += near.size();
  }
  CHECK(frames > 9'000);
  CHECK(spoiled > 9'000);
}

TEST_CASE("What does not fit is not packed, and what is cut off is not read") {
  const Bytes payload(wire::max_payload + 1);
  Bytes bytes(wire::max_frame);
  CHECK(wire::pack({wire::Kind::print, 1, 1, 1, payload}, bytes) == 0);
  CHECK(wire::pack({wire::Kind::print, 1, 1, 1, std::span(payload).first(wire::max_payload)}, bytes) ==
        wire::max_frame);
  CHECK(wire::pack({wire::Kind::print, 1, 1, 1, std::span(payload).first(10)}, std::span(bytes).first(24)) == 0);
  wire::Reader in{std::span(payload).first(3)};
  CHECK(in.u16() == 0);
  CHECK(in.whole);
  CHECK(in.u16() == 0);
  CHECK_FALSE(in.whole);
  wire::Writer out;
  for (std::size_t i = 0; i < wire::max_payload / 4; ++i) out.u32(7);
  CHECK(out.whole);
  out.u32(7);
  CHECK_FALSE(out.whole);
  CHECK(out.size == wire::max_payload / 4 * 4);
}
