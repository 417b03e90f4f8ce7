// Plain values one after another, as they go from the engine's thread to the logbook's. Private.
#pragma once

#include <cstddef>
#include <cstdint>
#include <cstring>
#include <span>
#include <type_traits>
#include <vector>

namespace gyrax {

/// How many bytes a Packer will take.
class PackedSize {
 public:
  template <class T>
  void put(const T&) noexcept {
    static_assert(std::is_trivially_copyable_v<T>);
    size_ += sizeof(T);
  }
  template <class T>
  void put_all(std::span<const T> values) noexcept {
    size_ += sizeof(std::uint32_t) + values.size_bytes();
  }
  std::size_t size() const noexcept { return size_; }

 private:
  std::size_t size_ = 0;
};

/// Into memory that has room for all of it.
class Packer {
 public:
  explicit Packer(std::byte* to) : to_(to) {}
  template <class T>
  void put(const T& value) noexcept {
    put_bytes(&value, sizeof value);
  }
  template <class T>
  void put_all(std::span<const T> values) noexcept {
    put(static_cast<std::uint32_t>(values.size()));
    if (!values.empty()) put_bytes(values.data(), values.size_bytes());
  }

 private:
  void put_bytes(const void* from, std::size_t size) noexcept {
    std::memcpy(to_, from, size);
    to_ += size;
  }
  std::byte* to_;
};

class Unpacker {
 public:
  explicit Unpacker(std::span<const std::byte> bytes) : bytes_(bytes) {}
  template <class T>
  T get() {
    T value{};
    std::memcpy(static_cast<void*>(&value), bytes_.data(), sizeof value);
    bytes_ = bytes_.subspan(sizeof value);
    return value;
  }
  template <class T>
  void get_all(std::vector<T>& out) {
    out.resize(get<std::uint32_t>());
    if (!out.empty()) std::memcpy(static_cast<void*>(out.data()), bytes_.data(), out.size() * sizeof(T));
    bytes_ = bytes_.subspan(out.size() * sizeof(T));
  }

 private:
  std::span<const std::byte> bytes_;
};

}  // namespace gyrax
