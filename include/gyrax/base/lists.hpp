/// By row a short list of identities, all in one piece of memory.
///
///     Lists<BindingId> of_slot(slots, entries);
///     for (const BindingId id : of_slot[index(slot)]) …
#pragma once

#include <gyrax/base/ids.hpp>

#include <span>
#include <vector>

namespace gyrax {

template <Identity Id>
class Lists {
 public:
  struct Entry {
    std::size_t row = 0;
    Id id{};
  };

  Lists() = default;
  /// Each row's identities stand in the order of `entries`; every row is below `rows`.
  Lists(std::size_t rows, std::span<const Entry> entries) : begin_(rows + 1), ids_(entries.size()) {
    std::uint16_t at = 0;
    for (std::size_t row = 0; row < rows; ++row) {
      begin_[row] = at;
      for (const Entry& entry : entries)
        if (entry.row == row) ids_[at++] = entry.id;
    }
    begin_[rows] = at;
  }

  std::span<const Id> operator[](std::size_t row) const noexcept {
    return std::span(ids_).subspan(begin_[row], static_cast<std::size_t>(begin_[row + 1] - begin_[row]));
  }
  std::size_t rows() const noexcept { return begin_.empty() ? 0 : begin_.size() - 1; }

 private:
  std::vector<std::uint16_t> begin_;  // by row, and where the last one ends
  std::vector<Id> ids_;
};

}  // namespace gyrax
