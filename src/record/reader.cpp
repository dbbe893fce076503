#include <zstd.h>

#include <algorithm>
#include <fstream>
#include <optional>

#include "base/json.hpp"
#include "record/format.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/load.hpp"

namespace zithercraft {

using namespace replay_format;
namespace {

[[noreturn]] void damaged(const std::string& what, const std::string& source) {
  throw Error(ErrorKind::file, "the replay is damaged: " + what, source,
              "copy it again or record it again");
}

// Takes values off the front of a byte string.
class Taker {
 public:
  Taker(std::span<const std::byte> bytes, const std::string& source)
      : bytes_(bytes), source_(source) {}

  void take(std::span<std::byte> out) {
    if (out.size() > bytes_.size()) damaged("a moment is cut short", source_);
    std::copy_n(bytes_.begin(), out.size(), out.begin());
    bytes_ = bytes_.subspan(out.size());
  }
  template <class T>
  T one() {
    T value;
    take(std::as_writable_bytes(std::span(&value, 1)));
    return value;
  }
  std::vector<float> floats(std::size_t n) {
    if (n > bytes_.size() / sizeof(float)) damaged("a moment is cut short", source_);
    std::vector<float> values(n);
    take(std::as_writable_bytes(std::span(values)));
    return values;
  }
  std::string text() {
    const auto size = one<std::uint32_t>();
    if (size > bytes_.size()) damaged("a moment is cut short", source_);
    std::string words(size, ' ');
    take(std::as_writable_bytes(std::span(words)));
    return words;
  }

 private:
  std::span<const std::byte> bytes_;
  const std::string& source_;
};

}  // namespace

struct Replay::State {
  std::string source;
  std::vector<std::byte> file;
  ReplayInfo info;
  std::optional<Game> game;
  std::vector<IndexEntry> chunks;
  std::vector<Episode> episodes;
  bool whole = false;
  std::size_t cached_chunk = ~std::size_t{0};
  std::vector<Moment> cached;
  std::unique_ptr<Lanes> player;  // plays ticks again
  std::vector<std::vector<std::byte>> ticks;

  template <class T>
  T at(std::uint64_t offset) const {
    T value;
    if (offset > file.size() || file.size() - offset < sizeof(T))
      damaged("it is too short", source);
    std::memcpy(&value, file.data() + offset, sizeof(T));
    return value;
  }

  std::uint64_t read_header() {
    if (file.size() < sizeof(FileStart) || at<FileStart>(0).magic != magic)
      throw Error(ErrorKind::file, "this is not a replay", source, "name a .zrep file");
    const auto start = at<FileStart>(0);
    if (start.version != version)
      throw Error(ErrorKind::file,
                  "the replay has format version " + std::to_string(start.version) +
                      ", this program reads " + std::to_string(version),
                  source, "use a matching version");
    if (file.size() - sizeof start < start.header_bytes) damaged("its header is cut short", source);
    const std::string text(reinterpret_cast<const char*>(file.data() + sizeof start),
                           start.header_bytes);
    if (hash_text(text) != start.header_checksum)
      damaged("its header's checksum does not match", source);
    const Json header = Json::parse(text);
    info.game = header.at("game_name").get<std::string>();
    info.game_toml = header.at("game").get<std::string>();
    info.players = header.at("players").get<std::vector<std::string>>();
    info.seed = header.at("seed").get<std::uint64_t>();
    info.made_with = header.at("made_with").get<std::string>();
    game.emplace(parse_game(info.game_toml, source, CustomParts::optional), CustomParts::optional);
    if (header.at("state_bytes").get<std::size_t>() != game->arena().state_bytes())
      damaged("its states have another size than its game", source);
    return sizeof start + start.header_bytes;
  }

  bool fits(std::uint64_t offset, const ChunkHeader& c) const {
    return c.magic == chunk_magic && c.raw_bytes <= largest_chunk &&
           file.size() - offset - sizeof c >= c.stored_bytes;
  }

  std::vector<std::byte> unpack(std::uint64_t offset, const std::string& name) const {
    const auto header = at<ChunkHeader>(offset);
    if (!fits(offset, header)) damaged(name + " does not fit", source);
    const std::span stored(file.data() + offset + sizeof header, header.stored_bytes);
    if (chunk_checksum(header, stored) != header.checksum)
      damaged("the checksum of " + name + " does not match", source);
    std::vector<std::byte> raw(header.raw_bytes);
    const std::size_t size = ZSTD_decompress(raw.data(), raw.size(), stored.data(), stored.size());
    if (ZSTD_isError(size) || size != raw.size()) damaged(name + " cannot be unpacked", source);
    return raw;
  }

  // From the index at the end if it is there, else by walking from chunk to chunk.
  void find_chunks(std::uint64_t first) {
    if (file.size() >= first + sizeof(FileEnd)) {
      const auto end = at<FileEnd>(file.size() - sizeof(FileEnd));
      if (end.magic == end_magic && end.checksum == end_checksum(end.index_offset)) {
        const auto raw = unpack(end.index_offset, "the index");
        chunks.resize(raw.size() / sizeof(IndexEntry));
        std::ranges::copy(std::span(raw).first(chunks.size() * sizeof(IndexEntry)),
                          std::as_writable_bytes(std::span(chunks)).begin());
        whole = true;
        return;
      }
    }
    for (std::uint64_t offset = first; file.size() - offset >= sizeof(ChunkHeader);) {
      const auto header = at<ChunkHeader>(offset);
      if (!fits(offset, header)) break;
      if (header.kind == static_cast<std::uint32_t>(ChunkKind::moments))
        chunks.push_back(
            {offset, header.episode, header.first_step, header.moments, header.outcome});
      offset += sizeof header + header.stored_bytes;
    }
  }

  void list_episodes() {
    for (const IndexEntry& c : chunks) {
      if (c.episode > episodes.size()) damaged("its episodes are out of order", source);
      if (c.episode == episodes.size()) episodes.push_back({});
      episodes[c.episode].moments = c.first_step + c.moments;
      episodes[c.episode].outcome = static_cast<Outcome>(c.outcome);
    }
  }

  Seen take_seen(std::array<std::uint8_t, 2> stored) const {
    if (stored[0] > static_cast<std::uint8_t>(Way::right) ||
        stored[1] > static_cast<std::uint8_t>(Rise::below))
      damaged("an event is on no known side", source);
    return {static_cast<Way>(stored[0]), static_cast<Rise>(stored[1])};
  }

  EntityId take_entity(std::int32_t number) const {
    if (number < -1 || number >= static_cast<std::int64_t>(game->arena().entities().size()))
      damaged("an event is of something that the game does not have", source);
    return EntityId::of(number);
  }

  Event take_event(Taker& take) const {
    const auto e = take.one<StoredEvent>();
    if (e.kind > static_cast<std::uint32_t>(EventKind::custom))
      damaged("an event is of no known kind", source);
    return {.tick = e.tick,
            .kind = static_cast<EventKind>(e.kind),
            .by_who = take_seen(e.by_who),
            .by_whom = take_seen(e.by_whom),
            .who = take_entity(e.who),
            .whom = take_entity(e.whom),
            .x = e.x,
            .y = e.y,
            .z = e.z,
            .strength = e.strength,
            .detail = e.detail};
  }

  Overlay take_overlay(Taker& take) const {
    Overlay o;
    const auto form = take.one<std::uint32_t>();
    if (form > static_cast<std::uint32_t>(Overlay::Form::picture))
      damaged("an overlay is of no known form", source);
    o.form = static_cast<Overlay::Form>(form);
    take.take(std::as_writable_bytes(std::span(o.colour)));
    take.one<std::uint8_t>();
    o.name = take.text();
    o.label = take.text();
    o.numbers = take.floats(take.one<std::uint32_t>());
    return o;
  }

  std::vector<Moment> read_chunk(std::size_t number) const {
    const auto raw = unpack(chunks[number].offset, "chunk " + std::to_string(number + 1) + " of " +
                                                       std::to_string(chunks.size()));
    Taker take(raw, source);
    std::vector<Moment> moments(chunks[number].moments);
    for (Moment& m : moments) {
      m.step = take.one<std::uint32_t>();
      m.outcome = static_cast<Outcome>(take.one<std::uint32_t>());
      m.state.resize(game->arena().state_bytes());
      take.take(m.state);
      for (const Role& role : game->roles()) {
        const std::size_t seats = role.seats.size();
        RoleMoment& r = m.roles.emplace_back();
        r.observations = take.floats(seats * role.columns.size());
        r.controls = take.floats(seats * role.controls.size());
        r.rewards = take.floats(seats * role.terms.size());
        r.values = take.floats(seats);
        r.probabilities = take.floats(seats * probability_count(role.controls));
      }
      const auto events = take.one<std::uint32_t>();
      for (std::uint32_t i = 0; i < events; ++i) m.events.push_back(take_event(take));
      const auto overlays = take.one<std::uint32_t>();
      for (std::uint32_t i = 0; i < overlays; ++i) m.overlays.push_back(take_overlay(take));
    }
    return moments;
  }
};

// The state block begins with the key it was made from: seed, then lane and episode.
EpisodeKey episode_key(const Moment& start) {
  EpisodeKey key;
  std::memcpy(&key.seed, start.state.data(), sizeof key.seed);
  std::memcpy(&key.lane, start.state.data() + 8, sizeof key.lane);
  std::memcpy(&key.episode, start.state.data() + 12, sizeof key.episode);
  return key;
}

Replay::Replay(const std::filesystem::path& path) : state_(std::make_unique<State>()) {
  State& s = *state_;
  s.source = path.string();
  s.file = read_bytes(path);
  try {
    s.find_chunks(s.read_header());
  } catch (const JsonError&) {
    damaged("its header cannot be understood", s.source);
  }
  s.list_episodes();
}

Replay::~Replay() = default;
Replay::Replay(Replay&&) noexcept = default;

const ReplayInfo& Replay::info() const noexcept { return state_->info; }
const Game& Replay::game() const noexcept { return *state_->game; }
const std::vector<Replay::Episode>& Replay::episodes() const noexcept { return state_->episodes; }
bool Replay::whole() const noexcept { return state_->whole; }
std::uint64_t Replay::bytes() const noexcept { return state_->file.size(); }

const Moment& Replay::moment(std::size_t episode, std::uint32_t step) {
  State& s = *state_;
  const auto found = std::find_if(s.chunks.begin(), s.chunks.end(), [&](const IndexEntry& c) {
    return c.episode == episode && step >= c.first_step && step - c.first_step < c.moments;
  });
  if (found == s.chunks.end())
    throw Error(
        ErrorKind::usage,
        "there is no step " + std::to_string(step) + " of episode " + std::to_string(episode),
        s.source,
        "the replay has " + std::to_string(s.episodes.size()) + " episodes, counted from 0");
  const auto number = static_cast<std::size_t>(found - s.chunks.begin());
  if (number != s.cached_chunk) {
    s.cached = s.read_chunk(number);
    s.cached_chunk = number;
  }
  return s.cached[step - found->first_step];
}

const std::vector<std::vector<std::byte>>& Replay::ticks(std::size_t episode, std::uint32_t step) {
  State& s = *state_;
  s.ticks.clear();
  if (step == 0 || s.game->spec().custom) {
    s.ticks.push_back(moment(episode, step).state);
    return s.ticks;
  }
  if (!s.player) s.player = std::make_unique<Lanes>(*s.game, 1);
  const std::vector<std::byte> before = moment(episode, step - 1).state;
  std::copy(before.begin(), before.end(), s.player->arena_state(0));
  const Moment& after = moment(episode, step);
  for (std::size_t role = 0; role < after.roles.size(); ++role)
    std::copy(after.roles[role].controls.begin(), after.roles[role].controls.end(),
              s.player->controls(role).begin());
  s.player->play_ticks(0, [&] {
    const std::byte* state = s.player->arena_state(0);
    s.ticks.emplace_back(state, state + s.game->arena().state_bytes());
  });
  s.ticks.back() = after.state;
  return s.ticks;
}

}  // namespace zithercraft
