#include <gyrax/permit/cause.hpp>

namespace gyrax {
namespace {

constexpr std::array<AboutCause, cause_count> causes{{
    {"none", Category::two, false, "nothing"},
    {"enable_released", Category::two, false, "enable was released"},
    {"enable_squeezed", Category::two, false, "enable was squeezed past its middle position"},
    {"let_go", Category::two, false, "what moved it was let go"},
    {"stop_key", Category::one, false, "stop was pressed"},
    {"stow", Category::one, false, "stow was pressed"},
    {"setting_changed", Category::one, false, "its override, layer or calibration changed"},
    {"program_ends", Category::one, false, "the program was told to end"},
    {"handset_steady", Category::one, false, "nothing on a handset changed for too long while it moved something"},
    {"handset_gone", Category::one, true, "a handset was unplugged"},
    {"handset_silent", Category::one, true, "a handset that reports steadily fell silent"},
    {"handset_gap", Category::one, true, "readings of a handset were lost"},
    {"reading_clock", Category::one, true, "a reading was too old, from the future or out of order"},
    {"reading_implausible", Category::one, true, "a reading was far outside the control's range"},
    {"link_silent", Category::one, true, "a link gave no heartbeat"},
    {"far_end_fault", Category::one, true, "a far end stopped by itself, began anew, or reported a fault"},
    {"report_invalid", Category::one, true, "a link reported something that cannot be"},
    {"following_error", Category::zero, true, "an axis was not where it was told to be"},
    {"moves_at_rest", Category::zero, true, "an axis moved while it was told to stand"},
    {"wrong_way", Category::zero, true, "an axis moved the other way than it was told"},
    {"overspeed", Category::zero, true, "an axis moved much faster than it was told"},
    {"position_frozen", Category::zero, true, "an axis reported one position while it was told to move"},
    {"input_off", Category::one, true, "an input that must be on was off"},
    {"input_unknown", Category::one, true, "nobody knew what an input was that must be known"},
    {"input_beyond", Category::one, true, "an input was beyond what its zone allows"},
    {"tick_late", Category::one, true, "a tick came too late"},
    {"frames_expired", Category::zero, true, "a tick came so late that the far end had stopped by itself"},
    {"clock_backwards", Category::one, true, "the clock went backwards"},
    {"envelope_refused", Category::one, true, "the last check refused a command"},
}};

}  // namespace

const AboutCause& about(Cause cause) noexcept { return causes[static_cast<std::size_t>(cause)]; }

std::array<Category, cause_count> default_categories() noexcept {
  std::array<Category, cause_count> categories{};
  for (std::size_t i = 0; i < cause_count; ++i) categories[i] = causes[i].category;
  return categories;
}

}  // namespace gyrax
