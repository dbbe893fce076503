#include "zithercraft/game/overrides.hpp"

#include <gtest/gtest.h>

#include "support.hpp"

namespace zithercraft {
namespace {

TEST(Overrides, SetKeysByPathAndTermsByName) {
  const GameSpec changed = with_keys(test::mooring(),
                                     {{"arena.bodies.hull.count", 3},
                                      {"term.bump", -2},
                                      {"cutoffs.steps", 100},
                                      {"roles[0].senses.rays.rays", 12}},
                                     "here");
  EXPECT_EQ(changed.arena.bodies[0].count, 3);
  EXPECT_EQ(changed.roles[0].rewards[2].weight, -2.0);
  EXPECT_EQ(changed.cutoffs.steps, 100);
  EXPECT_EQ(std::get<RayFan>(changed.roles[0].senses[0]).rays, 12);
  EXPECT_EQ(test::mooring().arena.bodies[0].count, 8);
  const auto fix = [](const char* key) {
    const Error error = test::error_of([&] { with_keys(test::mooring(), {{key, 1}}, "here"); });
    EXPECT_EQ(error.kind(), ErrorKind::spec) << key;
    return error.fix();
  };
  EXPECT_NE(fix("arena.bodies.hul.count").find("'hull'"), std::string::npos);
  EXPECT_NE(fix("term.bumb").find("'bump'"), std::string::npos);
  EXPECT_NE(fix("cutoffs.step").find("'steps'"), std::string::npos);
}

TEST(Overrides, ValuesAreReadAsTomlOrAsWords) {
  const auto value = [](const char* text) { return parse_value(text, "here"); };
  EXPECT_EQ(value("3"), Value(3));
  EXPECT_EQ(value("-0.5"), Value(-0.5));
  EXPECT_EQ(value("true"), Value(true));
  EXPECT_EQ(value("word"), Value("word"));
  EXPECT_EQ(value("\"3\""), Value("3"));
  EXPECT_EQ(value("[1, 2]"), Value(Value::List{1, 2}));
  for (const char* text : {"3", "-0.5", "0.1", "true", "word", "[1, 2]"})
    EXPECT_EQ(text_of(value(text)), text);
  const auto [key, two] = parse_assignment("a.b=2", "here");
  EXPECT_EQ(key, "a.b");
  EXPECT_EQ(two, Value(2));
  for (const char* wrong : {"", "a", "=2"})
    EXPECT_EQ(test::error_of([&] { parse_assignment(wrong, "here"); }).kind(), ErrorKind::usage)
        << wrong;
  for (const char* wrong : {"a=", "a=1\nb=2"})
    EXPECT_EQ(test::error_of([&] { parse_assignment(wrong, "here"); }).kind(), ErrorKind::spec)
        << wrong;
}

}  // namespace
}  // namespace zithercraft
