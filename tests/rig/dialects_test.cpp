// What a rig says of a controller that takes lines: what is wrong is told, and what holds is reviewed.
#include "../link/on_a_controller.hpp"
#include "refused.hpp"
#include "support/random.hpp"
#include "support/rigs.hpp"

#include <gyrax/link/controller_talk.hpp>
#include <gyrax/rig/findings.hpp>
#include <gyrax/rig/predictions.hpp>
#include <gyrax/rig/review.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <string>
#include <vector>

using namespace gyrax;

TEST_CASE("What is wrong with a controller or its dialect is told, each with what would be right") {
  const std::string sound = test::on_a_controller();
  for (const test::Refused& one :
       {test::Refused{"dialect = \"brook\"", "", "how it is spoken to"},
        test::Refused{"dialect = \"brook\"", "dialect = \"brok\"", "there is no dialect 'brok'; brook"},
        test::Refused{"dialect = \"brook\"", "dialect = \"brook\"\nspeed = 100", "its controller no more than 100"},
        test::Refused{"dialect = \"brook\"", "dialect = \"brook\"\naccel = 1000", "its controller no more than 1000"},
        test::Refused{"dialect = \"brook\"", "dialect = \"brook\"\nwatchdog_ms = 100", "no such key"},
        test::Refused{"silence_ms = 400", "silence_ms = 400\nvalid_ms = 50", "until its queue has run out"},
        test::Refused{"serial = \"/nowhere/gantry\"", "udp = \"h:1\"", "no such key"},
        test::Refused{"serial = \"/nowhere/gantry\"", "", "its wire"},
        test::Refused{"letters = { focus = \"Z\" }", "letters = { focus = \"Y\" }", "two axes have the letter Y"},
        test::Refused{"letters = { focus = \"Z\" }", "letters = { focus = \"Q\" }",
                      "which letter the axis 'focus' has"},
        test::Refused{"letters = { focus = \"Z\" }", "letters = { focus = \"A\" }",
                      "does not tell where A is, the axis 'focus'"},
        test::Refused{"letters = { focus = \"Z\" }", "letters = { fokus = \"Z\" }", "fokus"},
        test::Refused{"switches = { lamp = [\"M7\", \"M9\"] }", "", "the lines that turn 'lamp' on and off"},
        test::Refused{"switches = { lamp = [\"M7\", \"M9\"] }", "switches = { lamp = [\"M7\"] }",
                      "turn 'lamp' on and off"},
        test::Refused{"[input.door]", "[input.gate]", "does not tell the input 'gate'"},
        test::Refused{"travel = [0, 120]", "travel = \"endless\"", "has no place that a controller could be told"},
        test::Refused{"following_error = 10\n", "position = \"assumed\"\nstart = 0\n",
                      "is not taken from its controller"},
        test::Refused{"following_error = 10\n", "following_error = 10\nzone = \"eye\"\n[zone.eye]\n[zone.main]\n",
                      "zone"},
        test::Refused{"move = \"G1 {axes} F{feed}\"", "move = \"G1 {axes}\"", "it has no {feed}"},
        test::Refused{"move = \"G1 {axes} F{feed}\"", "move = \"G1 {axes F{feed}\"", "no place"},
        test::Refused{"move = \"G1 {axes} F{feed}\"", "move = \"G1 {axes}{feed}\"", "nothing tells them apart"},
        test::Refused{"move = \"G1 {axes} F{feed}\"", "", "move = \"G1 {axes} F{feed}\""},
        test::Refused{"ack = \"ok\"", "", "ack = \"ok\""},
        test::Refused{"ack = \"ok\"", "akc = \"ok\"", "akc"},
        test::Refused{"stop = \"\\u0014\"", "", "stop = "},
        test::Refused{"stop = \"\\u0014\"", "stop = \"\\u0014now\"", "it mixes a control character with others"},
        test::Refused{"decimals = 3", "decimals = 9", "9"},
        test::Refused{"decimals = 3", "decimals = 3\ndistances = \"relative\"", "would shift all that comes after it"},
        test::Refused{"idle = [\"ready\"], ", "", "what its {state} says then"},
        test::Refused{"modes = { ask = \"MODES\"", "modes = { ask = \"\"", "ask = \"MODES\""},
        test::Refused{"takes = { lines = 12", "takes = { lines = 0", "lines"}})
    test::check_refused(sound, one);
}

TEST_CASE("The review says how far a controller is behind, what it cannot promise, and what would trip or do nothing") {
  const Rig rig = test::rig(test::on_a_controller());
  const FarEnd far = far_end_of(rig, LinkId{0});
  // v/2a of the fastest, a move and a round trip.
  CHECK(far.queue_s == doctest::Approx(180.0 / 2 / 1400 + 0.02 + 0.02));
  const Prediction gone = Predictor(rig, AxisId{0}).unheard();
  CHECK(far.runs_out_s == doctest::Approx(180.0 / 1400 + 0.02 + 0.02));
  CHECK(gone.time_s() < far.runs_out_s + 0.06);
  CHECK(gone.way() >= 180 * far.queue_s);
  CHECK(rig.setup.axes[0].runaway.wrong_way > RunawayTimes{}.wrong_way);
  const std::string review = review_text(rig);
  CHECK(review.find("its queue has run out after 168.6 ms") != std::string::npos);
  CHECK(review.find("its lines have no check sum") != std::string::npos);
  CHECK(review_text(test::rig(test::on_a_controller("fern"))).find("have no check sum") == std::string::npos);
  CHECK(review_text(test::rig(test::on_a_controller("gravel"))).find("cannot be read back") != std::string::npos);
  // A step that its decimals cannot say; a following error that it exceeds at speed.
  const auto finds = [](const std::string& from, const std::string& to, const std::string& what) {
    const std::vector<Finding> all = findings(test::rig(test::changed(test::on_a_controller(), from, to)));
    return std::ranges::any_of(all, [&](const Finding& one) { return sentence(one).find(what) != std::string::npos; });
  };
  CHECK(finds("decimals = 3", "decimals = 1", "is less than the last decimal of its controller, 0.1 mm"));
  CHECK(finds("following_error = 40", "following_error = 12", "gantry lags 104 ms behind, which is "));
}

TEST_CASE("A place is whole in its last decimal, in mm and in inches, and is written so") {
  Dialect mm, inch;
  inch.inch = true;
  inch.decimals = 5;
  CHECK(controller_counts(12'345'500'000, mm, true) == 12'346);
  CHECK(controller_counts(-12'345'500'000, mm, true) == -12'346);
  CHECK(controller_counts(25'400'000'000, inch, true) == 100'000);
  CHECK(controller_counts(25'400'000'000, inch, false) == 2'540'000);
  CHECK(decimal_words(-40, 3) == "-0.040");
  CHECK(decimal_words(1'234'567, 3) == "1234.567");
  CHECK(decimal_words(-7, 0) == "-7");
  CHECK(decimal_words(0, 2) == "0.00");
  // ITU-T V.41's polynomial from 0xffff: the published check value of "123456789".
  CHECK(sum_of("123456789") == "29B1");
  test::Random random;
  for (int i = 0; i < 20'000; ++i) {
    const std::int64_t counts = random.whole(-100'000'000, 100'000'000);
    const auto back = wire::number_of(decimal_words(counts, 5));
    REQUIRE(back);
    CHECK(std::llround(*back * 1e5) == counts);
    // Rounded once: no farther than half of the last decimal, in the axis's unit.
    const std::int64_t nano = std::int64_t{random.whole(-1'000'000'000, 1'000'000'000)} * 997;
    const double place = controller_place(static_cast<double>(controller_counts(nano, inch, true)) * 1e-5, inch, true);
    CHECK(std::abs(place - static_cast<double>(nano) * 1e-9) <= 25.4e-5 / 2 * (1 + 1e-6));
  }
}
