// A reader written from docs/formats/replay.md alone, and what it makes of replays.

#include <gtest/gtest.h>
#include <zstd.h>

#include <cmath>
#include <cstring>
#include <nlohmann/json.hpp>

#include "example.hpp"
#include "support.hpp"
#include "zithercraft/base/hash.hpp"

namespace zithercraft {
namespace {

using nlohmann::json;

class PlainReader {
 public:
  explicit PlainReader(std::string file) : file_(std::move(file)) {
    EXPECT_EQ(file_.substr(0, 8), std::string("ZREP\r\n\x1a\n"));
    EXPECT_EQ(number<std::uint32_t>(file_, 8), 5u);
    const auto size = number<std::uint32_t>(file_, 12);
    const std::string text = file_.substr(24, size);
    EXPECT_EQ(hash_text(text), number<std::uint64_t>(file_, 16));
    header = json::parse(text);

    const std::size_t end = file_.size() - 24;
    EXPECT_EQ(file_.substr(end + 16), "ZREP END");
    const auto index_at = number<std::uint64_t>(file_, end);
    EXPECT_EQ(hash_text(file_.substr(end, 8)), number<std::uint64_t>(file_, end + 8));
    const std::string index = unpack(index_at, 2);
    for (std::size_t i = 0; i < index.size(); i += 24) {
      const auto offset = number<std::uint64_t>(index, i);
      EXPECT_EQ(number<std::uint32_t>(file_, offset + 16), number<std::uint32_t>(index, i + 8))
          << "episode";
      EXPECT_EQ(number<std::uint32_t>(file_, offset + 20), number<std::uint32_t>(index, i + 12))
          << "first step";
      read_moments(unpack(offset, 1), number<std::uint32_t>(index, i + 16));
    }
    // Without the index: from chunk to chunk.
    std::size_t at = 24 + size, chunks = 0;
    for (; at < index_at; at += 40 + number<std::uint32_t>(file_, at + 12)) ++chunks;
    EXPECT_EQ(at, index_at);
    EXPECT_EQ(chunks, index.size() / 24);
  }

  struct Seen {
    std::uint32_t step, outcome;
    std::string state;
    // Per role: observations, controls, rewards, values, probabilities in one.
    std::vector<std::vector<float>> numbers;
    std::size_t events, overlays;
  };
  json header;
  std::vector<Seen> moments;

 private:
  template <class T>
  static T number(const std::string& bytes, std::size_t at) {
    T value{};
    EXPECT_LE(at + sizeof value, bytes.size());
    std::memcpy(&value, bytes.data() + at, sizeof value);
    return value;
  }

  std::string unpack(std::size_t at, std::uint32_t kind) const {
    EXPECT_EQ(number<std::uint32_t>(file_, at), 0x4B4E4843u);
    EXPECT_EQ(number<std::uint32_t>(file_, at + 4), kind);
    const std::string stored = file_.substr(at + 40, number<std::uint32_t>(file_, at + 12));
    std::string head = file_.substr(at, 40);
    const auto checksum = number<std::uint64_t>(head, 32);
    std::fill(head.begin() + 32, head.end(), '\0');
    EXPECT_EQ(hash_text(head) ^ hash_text(stored), checksum);
    std::string raw(number<std::uint32_t>(file_, at + 8), '\0');
    EXPECT_EQ(ZSTD_decompress(raw.data(), raw.size(), stored.data(), stored.size()), raw.size());
    return raw;
  }

  void read_moments(const std::string& raw, std::uint32_t count) {
    std::size_t at = 0;
    const auto word = [&] { return number<std::uint32_t>(raw, (at += 4) - 4); };
    for (std::uint32_t i = 0; i < count; ++i) {
      Seen m{word(), word(), raw.substr(at, header["state_bytes"]), {}, 0, 0};
      at += header["state_bytes"].get<std::size_t>();
      for (const json& role : header["roles"]) {
        std::size_t probabilities = 0;
        for (const json& control : role["controls"])
          probabilities += control["options"].empty() ? 2 : control["options"].size();
        const std::size_t each = role["columns"].size() + role["controls"].size() +
                                 role["terms"].size() + 1 + probabilities;
        auto& numbers = m.numbers.emplace_back(role["seats"].get<std::size_t>() * each);
        std::memcpy(numbers.data(), raw.data() + at, 4 * numbers.size());
        at += 4 * numbers.size();
      }
      m.events = word();
      at += 40 * m.events;
      m.overlays = word();
      for (std::size_t o = 0; o < m.overlays; ++o) {
        at += 8;  // form, colour
        at += word();
        at += word();
        at += 4 * word();
      }
      moments.push_back(std::move(m));
    }
    EXPECT_EQ(at, raw.size());
  }

  std::string file_;
};

float field_of(const PlainReader& reader, const std::string& name, const std::string& state,
               std::size_t element) {
  for (const json& field : reader.header["state_fields"])
    if (field["name"] == name) {
      float value{};
      std::memcpy(&value, state.data() + field["offset"].get<std::size_t>() + 4 * element, 4);
      return value;
    }
  ADD_FAILURE() << "there is no field " << name;
  return 0.0f;
}

TEST(ReplayFormat, AReaderWrittenFromTheDocumentReadsTheExample) {
  const PlainReader reader(test::read_file(test::project_folder() / "docs/formats/example.zrep"));
  ASSERT_EQ(reader.moments.size(), 3u);
  for (std::uint32_t d = 0; d < 3; ++d) {
    const auto& m = reader.moments[d];
    EXPECT_EQ(m.step, d);
    EXPECT_EQ(m.outcome, d == 2 ? 3u : 0u);
    EXPECT_EQ(m.overlays, d == 1 ? 1u : 0u);
    // ahead, left, distance | throttle | time | value | mean, standard deviation
    ASSERT_EQ(m.numbers[0].size(), 8u);
    EXPECT_EQ(m.numbers[0][3], d == 0 ? 0.0f : 1.0f);
    EXPECT_EQ(m.numbers[0][4], d == 0 ? 0.0f : -1.0f);
    EXPECT_EQ(m.numbers[0][5], -2.0f + static_cast<float>(d));
    EXPECT_EQ(m.numbers[0][6], 0.75f);
    EXPECT_EQ(m.numbers[0][7], 0.125f);
    EXPECT_NEAR(m.numbers[0][2], 0.1f * (2.0f - field_of(reader, "x", m.state, 0)), 1e-6f)
        << "the compass tells x";
  }
  EXPECT_GT(field_of(reader, "x", reader.moments[2].state, 0),
            field_of(reader, "x", reader.moments[1].state, 0));
}

// The example is what today's library writes: the same moments, whatever the version of the
// compressor.
TEST(ReplayFormat, TheExampleIsUpToDate) {
  const test::TemporaryFolder folder;
  test::record_buoy(folder / "now.zrep");
  const PlainReader then(test::read_file(test::project_folder() / "docs/formats/example.zrep")),
      now(test::read_file(folder / "now.zrep"));
  EXPECT_EQ(then.header, now.header);
  ASSERT_EQ(then.moments.size(), now.moments.size());
  for (std::size_t i = 0; i < now.moments.size(); ++i) {
    EXPECT_EQ(then.moments[i].state, now.moments[i].state);
    EXPECT_EQ(then.moments[i].numbers, now.moments[i].numbers);
  }
  EXPECT_TRUE(check_replay(test::project_folder() / "docs/formats/example.zrep").passed());
}

TEST(ReplayFormat, AReaderWrittenFromTheDocumentAgreesWithTheLibrary) {
  const test::TemporaryFolder folder;
  for (const char* demo : {"barge", "kelpdive", "locks"}) {
    const Game game(load_game(test::project_folder() / "demos" / (std::string(demo) + ".toml")));
    const auto player = random_player(2);
    {
      ReplayWriter writer(folder / "a.zrep", game,
                          {demo, to_toml(game.spec()), {"random"}, 1, "test"});
      for (std::uint32_t e = 0; e < 2; ++e)
        play_one(game, std::vector<Player*>(game.roles().size(), player.get()), {6, 0, e},
                 [&](const Environment& lanes) { writer.add(lanes, 0); });
      writer.finish();
    }
    const PlainReader reader(test::read_file(folder / "a.zrep"));
    Replay replay(folder / "a.zrep");
    std::size_t at = 0;
    for (std::size_t e = 0; e < 2; ++e)
      for (std::uint32_t d = 0; d < replay.episodes()[e].moments; ++d, ++at) {
        const Moment& m = replay.moment(e, d);
        ASSERT_EQ(reader.moments[at].step, d);
        ASSERT_EQ(std::memcmp(reader.moments[at].state.data(), m.state.data(), m.state.size()), 0);
        ASSERT_EQ(reader.moments[at].events, m.events.size());
        for (std::size_t r = 0; r < m.roles.size(); ++r) {
          std::vector<float> all;
          for (const auto* list :
               {&m.roles[r].observations, &m.roles[r].controls, &m.roles[r].rewards,
                &m.roles[r].values, &m.roles[r].probabilities})
            all.insert(all.end(), list->begin(), list->end());
          ASSERT_EQ(reader.moments[at].numbers[r], all);
        }
      }
    EXPECT_EQ(at, reader.moments.size());
  }
}

}  // namespace
}  // namespace zithercraft
