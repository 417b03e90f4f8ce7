/// JSON in which every byte of a name survives, also where it is no UTF-8: a byte 0x80 to 0xff that is part of none is
/// written as `\udc80` to `\udcff`, and can be got back (Python's os.fsencode does; M. von Löwis, PEP 383).
///
///     put(gyrax::dumped(json, 2));
#pragma once

#include <string>
#include <string_view>

namespace gyrax {

namespace detail {
/// Whether it is UTF-8 without the characters that stand for bytes here.
bool is_plain_utf8(std::string_view text) noexcept;
/// Each byte that is part of none as a character of its own, U+10FF80 to U+10FFFF.
std::string with_bytes_marked(std::string_view text);
/// Those characters as `\udc80` to `\udcff`.
std::string with_marks_escaped(std::string json);

template <class Json>
void mark_bytes(Json& json) {
  if (json.is_string()) {
    auto& text = json.template get_ref<std::string&>();
    if (!is_plain_utf8(text)) text = with_bytes_marked(text);
  } else if (json.is_structured()) {
    for (auto& one : json) mark_bytes(one);
  }
}
}  // namespace detail

/// A document of nlohmann's package as text; `indent` < 0: in one line.
template <class Json>
std::string dumped(Json json, int indent = -1) {
  detail::mark_bytes(json);
  return detail::with_marks_escaped(json.dump(indent, ' ', false, Json::error_handler_t::replace));
}

}  // namespace gyrax
