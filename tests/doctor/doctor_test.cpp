// The doctor finds what is broken in deliberately broken games, and no error in good ones.

#include "zithercraft/doctor/doctor.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <limits>
#include <ostream>

#include "custom_games.hpp"
#include "doctor/checks.hpp"
#include "support.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/record/replay.hpp"

namespace zithercraft {
using namespace doctor_internal;
namespace {

constexpr const char* rays_line =
    R"(  { kind = "ray_fan", name = "rays", rays = 24, arc = 240, reach = 15, sees = ["quay", "hull", "berth"] },
)";
constexpr const char* compass_line =
    R"(  { kind = "compass", name = "compass", to = "berth", reach = 50 },
)";

GameSpec from(const std::string& text) { return parse_game(text, "broken", CustomParts::optional); }
GameSpec changed(const std::string& what, const std::string& to) {
  return from(test::mooring_with(what, to));
}

std::string without(std::string text, const std::string& part) {
  const auto at = text.find(part);
  EXPECT_NE(at, std::string::npos) << part;
  return text.erase(at, part.size());
}

GameSpec with_term(const std::string& term) {
  return from(test::mooring_with("[cutoffs]", term + "\n[cutoffs]"));
}

GameSpec with_sense(double (*reading)(const SeatView&)) {
  GameSpec game = test::mooring();
  game.roles[0].senses.push_back(
      CustomSense{.name = "own_idea",
                  .columns = {{.name = "reading", .low = -1, .high = 1}},
                  .code = [reading](const SeatView& seat, std::span<float> out) {
                    out[0] = static_cast<float>(reading(seat));
                  }});
  return game;
}

// A strip of sand between two rows of pits.
GameSpec ledge() {
  return from(R"(
    name = "ledge"
    ticks_per_step = 1
    cutoffs = { steps = 40 }
    [arena]
    [arena.cells]
    kinds = [{ name = "rock", symbol = "#", solid = true }, { name = "pit", symbol = "v", kills = ["wader"] }]
    layers = ["##########\n#vvvvvvvv#\n#        #\n#vvvvvvvv#\n##########"]
    [[arena.bodies]]
    name = "wader"
    motion = "free"
    shape = { kind = "disc", radius = 0.3 }
    mover = { kind = "stepper" }
    place = { region = [2, 2, 8, 3] }
    [[roles]]
    name = "wader"
    senses = [{ kind = "window", sees = ["rock", "pit"] }, { kind = "own_state", quarter = true }]
    controls = [{ kind = "choice", name = "go", options = [
      { name = "wait" }, { name = "east", sets = { east = 1 } }, { name = "west", sets = { east = -1 } },
      { name = "north", sets = { north = 1 } } ] }]
    [[roles.rewards]]
    name = "died"
    weight = -1
    on = { event = "die", as = "who" }
    ends = "failure"
  )");
}

struct Broken {
  const char* name;
  std::function<GameSpec()> game;
  Severity severity;
  const char* check;
  const char* subject;
};

void PrintTo(const Broken& broken, std::ostream* out) { *out << broken.name; }

const std::vector<Broken> broken_games{
    {"a blind skiff",
     [] {
       return from(without(without(test::mooring_with("script = \"steer_home\"\n", ""), rays_line),
                           compass_line));
     },
     Severity::error, "unseen tag", "tag 'berth'"},
    {"a skiff that does not see hulls",
     [] { return changed(R"(sees = ["quay", "hull", "berth"])", R"(sees = ["quay", "berth"])"); },
     Severity::error, "unseen tag", "tag 'hull'"},
    {"rays too short to see the berth",
     [] {
       auto text = without(test::mooring_with("script = \"steer_home\"\n", ""), compass_line);
       return from(text.replace(text.find("reach = 15"), 10, "reach = 0.001"));
     },
     Severity::warning, "never seen", "tag 'hull'"},
    {"a dead rudder",
     [] {
       return changed("rudder_flow = 0.6, rudder_wash = 0.8", "rudder_flow = 0, rudder_wash = 0");
     },
     Severity::error, "dead control", "control 'rudder'"},
    {"an option that does nothing",
     [] {
       return changed(R"({ kind = "dial", name = "rudder", low = -1.0, high = 1.0 })",
                      R"({ kind = "dial", name = "rudder", low = -1.0, high = 1.0 },
                         { kind = "choice", name = "gear", drives = "throttle", options = [
                           { name = "out", value = 0 }, { name = "in", value = 1 }, { name = "half", value = 0 } ] })");
     },
     Severity::error, "dead control", "option 'half'"},
    {"an option that kills", [] { return ledge(); }, Severity::error, "deadly control",
     "option 'north'"},
    {"moves in the arena's directions without a sense of heading",
     [] {
       GameSpec game = load_game(test::project_folder() / "demos/tidepools.toml");
       std::get<Dial>(game.roles[0].controls[0]).drives = "north";
       return game;
     },
     Severity::error, "control differs by heading", "control 'ahead'"},
    {"an option that is never allowed",
     [] {
       GameSpec game = ledge();
       game.arena.bodies[0].meters = {{.name = "air", .low = 0, .high = 1, .start = 1}};
       std::get<Choice>(game.roles[0].controls[0]).options[1].allowed_when =
           AllowedWhen{.meter = "air", .above = 2.0};
       return game;
     },
     Severity::warning, "option never allowed", "may.go.east"},
    {"an angle that wraps around",
     [] { return with_sense([](const SeatView& s) { return s.pose().heading / 3.1416; }); },
     Severity::error, "wrapping column", "own_idea.reading"},
    {"an input in the millions",
     [] { return with_sense([](const SeatView& s) { return 1e6 * s.pose().x; }); }, Severity::error,
     "column out of scale", "own_idea.reading"},
    {"an input that is not a number",
     [] {
       return with_sense([](const SeatView& s) { return s.steps() > 9 ? std::nan("") : 0.0; });
     },
     Severity::error, "play breaks off", "the game"},
    {"a constant input", [] { return with_sense([](const SeatView&) { return 0.5; }); },
     Severity::warning, "constant column", "own_idea.reading"},
    {"an input that is always at its end",
     [] {
       return with_sense([](const SeatView& s) { return s.steps() % 200 == 100 ? 0.0 : 1.0; });
     },
     Severity::warning, "saturated column", "own_idea.reading"},
    {"the same compass twice",
     [] {
       return changed(compass_line,
                      std::string(compass_line) +
                          R"(  { kind = "compass", name = "again", to = "berth", reach = 50 },
)");
     },
     Severity::warning, "equal columns", "again."},
    {"a term that nothing triggers",
     [] { return with_term("[[roles.rewards]]\nname = \"lamps\"\non = { event = \"collect\" }"); },
     Severity::warning, "term without reward", "term 'lamps'"},
    {"a term that swamps the rest", [] { return changed("weight = -0.005", "weight = -1000.0"); },
     Severity::warning, "swamping term", "term 'time'"},
    {"a reward for being there", [] { return changed("weight = -0.005", "weight = 0.5"); },
     Severity::error, "idle agent earns more", "role 'skiff'"},
    {"time that pays a little", [] { return changed("weight = -0.005", "weight = 0.001"); },
     Severity::warning, "waiting pays", "role 'skiff'"},
    {"a reward for moving at all",
     [] {
       GameSpec game = test::mooring();
       game.roles[0].rewards.push_back(
           {.name = "lively", .weight = 0.3, .each_step = [](const SeatView& seat) {
              return seat.speed();
            }});
       return game;
     },
     Severity::error, "dithering earns more", "role 'skiff'"},
    {"success at the first step",
     [] { return changed("inside = \"berth\", slower_than = 0.5", "slower_than = 5.0"); },
     Severity::error, "episodes end at once", "episodes"},
    {"too little time for anything", [] { return changed("steps = 300", "steps = 4"); },
     Severity::warning, "no verdicts", "episodes"},
    {"a basin with an open side",
     [] {
       auto text = test::mooring_with("closed = true", "closed = false");
       const std::string both = "with = [\"hull\", \"quay\"]";
       return from(text.replace(text.find(both), both.size(), "with = [\"hull\"]"));
     },
     Severity::error, "leaves the arena", "body 'skiff'"},
    {"a deadly whirl where skiffs begin",
     [] {
       return changed("[[arena.bodies]]\nname = \"hull\"", R"([[arena.zones]]
name = "whirl"
kept_free = false
shape = { kind = "box", length = 20, width = 30 }
kills = ["skiff"]
place = { region = [-10, 0, -10, 0] }
[[arena.bodies]]
name = "hull")");
     },
     Severity::error, "starts overlap", "role 'skiff'"},
    {"a wall between the skiff and its berth",
     [] {
       return changed("[[arena.zones]]", R"([[arena.walls]]
name = "mole"
points = [[0, -15], [0, 15]]
[[arena.zones]])");
     },
     Severity::error, "unreachable success", "tag 'berth'"},
    {"a lamp on a tower that no jump gets up to",
     [] {
       return from(R"(
         name = "tower"
         [arena.heights]
         floor = { name = "ground" }
         [[arena.bodies]]
         name = "tower"
         shape = { kind = "box", length = 3, width = 3 }
         height = 3
         place = { region = [5, 0, 5, 0] }
         [[arena.bodies]]
         name = "cat"
         motion = "free"
         shape = { kind = "disc", radius = 0.2 }
         height = 0.5
         mover = { kind = "walker", jump = 4 }
         place = { region = [-2, -1, 2, 1], heading = [-180, 180] }
         [[arena.items]]
         name = "lamp"
         place = { on = ["tower"] }
         [[roles]]
         name = "cat"
         senses = [{ kind = "compass", to = "lamp" }]
         controls = [{ kind = "dial", name = "ahead" }, { kind = "dial", name = "turn" }]
         [[roles.rewards]]
         name = "lit"
         on = { event = "collect", with = ["lamp"] }
         ends = "success"
       )");
     },
     Severity::error, "a step too high", "tag 'lamp'"},
    {"a crab whose eyes never turn with it",
     [] {
       return from(R"(
         name = "crab"
         ticks_per_step = 1
         [arena.cells]
         kinds = [{ name = "rock", symbol = "#", solid = true }, { name = "sand", symbol = ".", seen = false }]
         layers = ["#######\n#.....#\n#.....#\n#.....#\n#######"]
         [[arena.bodies]]
         name = "crab"
         motion = "free"
         mover = { kind = "stepper" }
         place = { region = [1, 1, 6, 4] }
         [[roles]]
         name = "crab"
         senses = [{ kind = "window", sees = ["rock"], beyond = "rock" }]
         controls = [{ kind = "choice", name = "go", options = [
           { name = "east", sets = { east = 1 } }, { name = "west", sets = { east = -1 } },
           { name = "north", sets = { north = 1 } }, { name = "south", sets = { north = -1 } }] }]
         rewards = [{ name = "room", visits = { square = 1 } }]
         [cutoffs]
         steps = 50
       )");
     },
     Severity::note, "a heading that never changes", "role 'crab'"},
};

class BrokenGame : public ::testing::TestWithParam<Broken> {};
INSTANTIATE_TEST_SUITE_P(Doctor, BrokenGame, ::testing::ValuesIn(broken_games),
                         [](const auto& one) { return "Case" + std::to_string(one.index); });

TEST_P(BrokenGame, IsFoundOut) {
  const Broken& broken = GetParam();
  const Diagnosis d = examine(Game(broken.game()), {.steps = 8000, .threads = 1});
  std::string all;
  bool found = false;
  for (const Finding& f : d.findings) {
    all += std::string(name_of(f.severity)) + ", " + f.check + ": " + f.where + ": " + f.what +
           " (" + f.evidence + ")\n";
    found = found || (f.check == broken.check && f.severity == broken.severity &&
                      f.where.find(broken.subject) != std::string::npos);
    EXPECT_FALSE(f.what.empty() || f.evidence.empty() || f.fix.empty());
  }
  EXPECT_TRUE(found) << broken.name << " was not found out; found were\n" << all;
}

class GoodGame : public ::testing::TestWithParam<const char*> {};
INSTANTIATE_TEST_SUITE_P(Doctor, GoodGame,
                         ::testing::Values("barge", "basin", "breakwater", "flare", "fogbank",
                                           "kelpdive", "lanternboat", "locks", "mooring", "narrows",
                                           "skerries", "tidepools", "towline"));

TEST_P(GoodGame, HasNoError) {
  const Game game(
      load_game(test::project_folder() / "demos" / (std::string(GetParam()) + ".toml")));
  const Diagnosis d = examine(game, {.steps = 8000, .seed = 3});
  for (const Finding& f : d.findings)
    EXPECT_NE(f.severity, Severity::error)
        << f.check << ": " << f.where << ": " << f.what << " (" << f.evidence << ")";
}

TEST(Doctor, WhatOnlyHazardsReportIsSeen) {
  GameSpec game = ledge();
  // Which tags are deadly is left to the game to say.
  game.roles[0].senses = {Hazards{.name = "pits", .within = 1.0}, OwnState{.quarter = true}};
  game.roles[0].rewards[0].on = EventTrigger{.event = EventKind::touch, .with = {"pit"}};
  for (const Finding& f : examine(Game(game), {.steps = 8000, .threads = 1}).findings)
    EXPECT_NE(f.check, "unseen tag") << f.where;
}

TEST(Doctor, FindsTheSameOnAnyNumberOfThreads) {
  const Game game(changed("weight = -0.005", "weight = 0.5"));
  const auto one = examine(game, {.steps = 4000, .threads = 1}),
             three = examine(game, {.steps = 4000, .threads = 3});
  EXPECT_EQ(one.findings, three.findings);
  EXPECT_EQ(one.to_json(), three.to_json());
  ASSERT_FALSE(one.findings.empty());
  EXPECT_EQ(one.worst(), Severity::error);
}

TEST(Doctor, WritesStrangeEpisodesAsReplays) {
  const test::TemporaryFolder folder;
  const Diagnosis d =
      examine(Game(test::mooring()), {.steps = 8000, .strange_replays = folder / "strange"});
  ASSERT_FALSE(d.strange.empty());
  for (const StrangeEpisode& s : d.strange) {
    EXPECT_TRUE(check_replay(s.replay).passed());
    EXPECT_EQ(Replay(s.replay).episodes().size(), 1u);
    EXPECT_NE(s.why.find("the middle half"), std::string::npos);
  }
}

TEST(Doctor, TellsHowOftenEachTagWasSeen) {
  const Diagnosis d = examine(Game(test::mooring()), {.steps = 4000});
  ASSERT_EQ(d.seen.size(), 3u);
  for (const TagSeen& s : d.seen) {
    EXPECT_EQ(s.role, "skiff");
    // There is always a berth to point at, and nearly always something to see.
    if (s.tag == "berth") {
      EXPECT_GT(s.share, 0.999);
    } else {
      EXPECT_GT(s.share, 0.5) << s.tag;
      EXPECT_LE(s.share, 1.0) << s.tag;
    }
  }
}

TEST(Doctor, AsksForEnoughPlay) {
  EXPECT_EQ(test::error_of([] { examine(Game(test::mooring()), {.steps = 10}); }).kind(),
            ErrorKind::usage);
}

// ---- Trainings that went wrong, as curves

struct Curve {
  std::function<double(double)> episode_return = [](double) { return 1.0; };
  std::function<double(double)> success = [](double) { return 0.2; };
  std::function<double(double)> entropy = [](double) { return 2.0; };
  std::function<double(double)> explained = [](double) { return 0.6; };
};

Findings findings_of(const Curve& curve) {
  std::vector<MetricsRow> rows;
  for (int i = 0; i < 200; ++i) {
    const double share = i / 199.0;
    MetricsRow row;
    row.steps = 1000 * (i + 1);
    row.episodes = 10;
    row.mean_return = curve.episode_return(share);
    row.success = curve.success(share);
    row.learner = {{"entropy", curve.entropy(share)},
                   {"explained_variance", curve.explained(share)}};
    rows.push_back(row);
  }
  Findings findings;
  check_training(Game(test::mooring()), ppo_method(), rows, findings);
  return findings;
}

const Finding* found(const Findings& findings, const std::string& check) {
  for (const Finding& f : findings)
    if (f.check == check) return &f;
  return nullptr;
}

TEST(DoctorOfTrainings, FindsNothingInOneThatSucceeds) {
  EXPECT_TRUE(findings_of({.episode_return = [](double t) { return 5 * std::min(1.0, 2 * t); },
                           .success = [](double t) { return std::min(1.0, 2 * t); }})
                  .empty());
}

TEST(DoctorOfTrainings, JudgesSidesByTheirPastSelves) {
  const auto findings = [](double forgotten, double cycles) {
    std::vector<MetricsRow> rows(200);
    for (std::size_t i = 0; i < rows.size(); ++i) {
      rows[i].steps = static_cast<std::int64_t>(1000 * (i + 1));
      rows[i].episodes = 10;
      rows[i].success = 0.3;
      rows[i].learner = {{"entropy", 2.0 - 0.01 * static_cast<double>(i)},
                         {"explained_variance", 0.5},
                         {"past_policies", 8},
                         {"forgotten", i > 120 ? forgotten : 0.0},
                         {"cycles", i > 120 ? cycles : 0.0}};
    }
    Findings list;
    check_training(Game(test::mooring()), ppo_method(), rows, list);
    return list;
  };
  EXPECT_TRUE(findings(0, 0).empty());
  EXPECT_NE(found(findings(2, 0), "forgetting"), nullptr);
  EXPECT_EQ(found(findings(2, 0), "cycles"), nullptr);
  EXPECT_NE(found(findings(0, 1), "cycles"), nullptr);
}

TEST(DoctorOfTrainings, FindsPlateausWithTheirBeginning) {
  const auto findings =
      findings_of({.episode_return = [](double t) { return std::min(1.0, 4 * t); }});
  const Finding* f = found(findings, "plateau");
  ASSERT_NE(f, nullptr);
  EXPECT_GT(f->began, 30'000);
  EXPECT_LT(f->began, 60'000);
}

TEST(DoctorOfTrainings, FindsCollapses) {
  const auto findings =
      findings_of({.episode_return = [](double t) { return t < 0.5 ? 4 * t : 0.2; }});
  const Finding* f = found(findings, "collapse");
  ASSERT_NE(f, nullptr);
  EXPECT_EQ(f->severity, Severity::error);
  EXPECT_NEAR(static_cast<double>(f->began), 100'000, 10'000);
}

TEST(DoctorOfTrainings, FindsEntropyGoneAndValuesThatExplainNothing) {
  const auto findings = findings_of({.episode_return = [](double t) { return t; },
                                     .entropy = [](double t) { return 2 - 40 * t; },
                                     .explained = [](double) { return 0.02; }});
  EXPECT_NE(found(findings, "entropy gone"), nullptr);
  EXPECT_NE(found(findings, "value explains nothing"), nullptr);
  EXPECT_EQ(found(findings, "collapse"), nullptr);
}

// ---- what is no mistake

const Finding* found(const Diagnosis& diagnosis, const std::string& check) {
  for (const Finding& finding : diagnosis.findings)
    if (finding.check == check) return &finding;
  return nullptr;
}

// Who steps east whatever its heading, and never has another one, has nothing to sense of it.
TEST(Doctor, KnowsThatAFixedHeadingStays) {
  GameSpec game = ledge();
  auto& role = game.roles[0];
  std::erase_if(role.senses, [](const Sense& s) { return std::holds_alternative<OwnState>(s); });
  EXPECT_EQ(found(examine(Game(game), {.steps = 1000}), "control differs by heading"), nullptr);
  game.arena.bodies.front().place.heading = {0, 360};
  EXPECT_NE(found(examine(Game(game), {.steps = 1000}), "control differs by heading"), nullptr);
}

// A gate bars the way to the berth, until a rule takes it away.
TEST(Doctor, KnowsThatRulesMayOpenAWay) {
  GameSpec game = changed("[[arena.zones]]", R"([[arena.bodies]]
name = "gate"
motion = "fixed"
shape = { kind = "box", length = 1.0, width = 29.8 }
[[arena.zones]])");
  EXPECT_NE(found(examine(Game(game), {.steps = 1000}), "unreachable success"), nullptr);
  const GameSpec barred = game;
  game.rules.push_back({.name = "keeper", .tick = [](const RuleView&) {}});
  EXPECT_EQ(found(examine(Game(game), {.steps = 1000}), "unreachable success"), nullptr);

  // A declared rule opens what it names, if what it waits for can be had.
  const auto with_rule = [&](const char* key_at, const char* opens) {
    GameSpec other = barred;
    for (BodySpec& body : other.arena.bodies)
      if (body.name == "skiff") body.place.region = {-17, -12, -5, 12};
    const double x = key_at == std::string("here") ? -12.0 : 12.0;
    other.arena.items.push_back({.name = "key", .place = {.region = {x, -1, x, 1}}});
    other.rules.push_back({.name = "unlock",
                           .on = EventTrigger{.event = EventKind::collect, .with = {"key"}},
                           .then = {Remove{.of = opens}}});
    return examine(Game(other), {.steps = 1000});
  };
  EXPECT_EQ(found(with_rule("here", "gate"), "unreachable success"), nullptr);
  EXPECT_NE(found(with_rule("here", "hull"), "unreachable success"), nullptr);
  const Diagnosis locked_in = with_rule("there", "gate");
  const Finding* const finding = found(locked_in, "unreachable success");
  ASSERT_NE(finding, nullptr);
  EXPECT_NE(finding->evidence.find("'unlock'"), std::string::npos);
}

TEST(Doctor, TellsOfRulesThatAreNeverCarriedOut) {
  GameSpec game = test::mooring();
  game.rules = {{.name = "often", .every = 1.0, .then = {Emit{.event = "bell"}}},
                {.name = "never",
                 .on = EventTrigger{.event = EventKind::die},
                 .then = {Finish{.verdict = Verdict::failure}}}};
  const auto diagnosis = examine(Game(game), {.steps = 2000});
  std::vector<std::string> never;
  for (const Finding& finding : diagnosis.findings)
    if (finding.check == "a rule that is never carried out") never.push_back(finding.where);
  EXPECT_EQ(never, std::vector<std::string>{"rules[1] 'never'"});
}

// ---- Custom games

std::vector<std::string> found_in(test::Tricks tricks) {
  std::vector<std::string> names;
  for (const Finding& finding : examine(Game(test::winch(tricks)), {.steps = 4000}).findings)
    if (finding.severity == Severity::error) names.push_back(finding.check);
  return names;
}

TEST(DoctorOfCustomGames, FindsWhatTheirCodeGetsWrong) {
  using Names = std::vector<std::string>;
  EXPECT_EQ(found_in({}), Names{});
  EXPECT_EQ(found_in({.saves = true}), Names{});
  EXPECT_EQ(found_in({.looks_at_a_clock = true}), Names{"not deterministic"});
  EXPECT_EQ(found_in({.shares_a_counter = true}), Names{"lanes share something"});
  EXPECT_EQ(found_in({.keeps_an_episode = true}), Names{"an episode leaks into the next"});
  EXPECT_EQ(found_in({.saves = true, .saves_too_little = true}), Names{"not brought back"});
  EXPECT_EQ(found_in({.ignores_the_rope = true}), Names{"dead control"});
}

TEST(DoctorOfCustomGames, TakesTheirWordThatTheyAreNotDeterministic) {
  GameSpec game = test::winch({.looks_at_a_clock = true});
  game.custom->deterministic = false;
  const auto findings = examine(Game(game), {.steps = 4000}).findings;
  EXPECT_TRUE(std::any_of(findings.begin(), findings.end(), [](const Finding& f) {
    return f.severity == Severity::note && f.check == "not deterministic";
  }));
}

}  // namespace
}  // namespace zithercraft
