#include <zstd.h>

#include <condition_variable>
#include <deque>
#include <exception>
#include <fstream>
#include <mutex>
#include <thread>
#include <utility>

#include "base/json.hpp"
#include "base/signature_json.hpp"
#include "record/format.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/game/load.hpp"

namespace zithercraft {

using namespace replay_format;
namespace {

constexpr int compression_level = 3;

Json header_of(const Game& game, const ReplayInfo& info) {
  Json roles = Json::array();
  for (const Role& role : game.roles())
    roles.push_back({{"name", role.name},
                     {"seats", role.seats.size()},
                     {"columns", role.columns},
                     {"controls", role.controls},
                     {"terms", role.terms}});
  Json fields = Json::array();
  for (const StateField& f : game.arena().state_fields())
    fields.push_back(
        {{"name", f.name}, {"type", f.type}, {"offset", f.offset}, {"count", f.count}});
  Json entities = Json::array();
  for (const Entity& e : game.arena().entities())
    entities.push_back({{"name", e.name}, {"tag", game.arena().tags()[e.tag]}});
  return {{"format", "zithercraft replay"},
          {"made_with", info.made_with},
          {"game_name", info.game},
          {"game", info.game_toml},
          {"players", info.players},
          {"seed", info.seed},
          {"roles", roles},
          {"state_bytes", game.arena().state_bytes()},
          {"state_fields", fields},
          {"entities", entities}};
}

// What waits to be compressed and written: the moments of one chunk.
struct Parcel {
  ChunkHeader header{};
  std::vector<std::byte> raw{};
};

// Compresses and writes on a thread of its own, so that the playing thread only copies. Room is
// used again.
class ChunkFile {
 public:
  explicit ChunkFile(std::filesystem::path part) : part_(std::move(part)) {
    out_.open(part_, std::ios::binary | std::ios::trunc);
    if (!out_) fail();
  }
  ~ChunkFile() { stop(); }
  ChunkFile(const ChunkFile&) = delete;
  ChunkFile& operator=(const ChunkFile&) = delete;

  void write(std::span<const std::byte> bytes) {
    out_.write(reinterpret_cast<const char*>(bytes.data()),
               static_cast<std::streamsize>(bytes.size()));
    if (!out_) fail();
    offset_ += bytes.size();
  }
  void flush() {
    out_.flush();
    if (!out_) fail();
  }

  void start() {
    thread_ = std::thread([this] { work(); });
  }

  /// Hands a parcel over and gives back an empty one. Waits while too many are under way.
  void send(Parcel& parcel) {
    std::unique_lock lock(mutex_);
    changed_.wait(lock, [&] { return waiting_.size() < most_waiting || failure_; });
    if (failure_) std::rethrow_exception(failure_);
    waiting_.push_back(std::move(parcel));
    parcel = {};
    if (!empty_.empty()) {
      parcel = std::move(empty_.back());
      empty_.pop_back();
    }
    changed_.notify_all();
  }

  /// All that was sent is in the file, followed by the index.
  void finish() {
    stop();
    if (failure_) std::rethrow_exception(failure_);
    const std::uint64_t index_offset = offset_;
    Parcel index;
    index.header.kind = static_cast<std::uint32_t>(ChunkKind::index);
    append(index.raw, std::span<const IndexEntry>(index_));
    pack(index);
    const FileEnd end{index_offset, end_checksum(index_offset), end_magic};
    write(std::as_bytes(std::span(&end, 1)));
    out_.close();
    if (!out_) fail();
  }

  /// Ends the thread once all that was sent is written.
  void stop() {
    if (!thread_.joinable()) return;
    {
      const std::lock_guard lock(mutex_);
      closing_ = true;
    }
    changed_.notify_all();
    thread_.join();
  }

 private:
  static constexpr std::size_t most_waiting = 4;

  [[noreturn]] void fail() const {
    throw Error(ErrorKind::file, "cannot write the replay", part_.string(),
                "check that the folder exists, can be written, and has space left");
  }

  void work() {
    std::unique_lock lock(mutex_);
    for (;;) {
      changed_.wait(lock, [&] { return !waiting_.empty() || closing_; });
      if (waiting_.empty()) return;
      Parcel parcel = std::move(waiting_.front());
      waiting_.pop_front();
      lock.unlock();
      std::exception_ptr failure;
      try {
        index_.push_back({offset_, parcel.header.episode, parcel.header.first_step,
                          parcel.header.moments, parcel.header.outcome});
        pack(parcel);
      } catch (...) {
        failure = std::current_exception();
      }
      lock.lock();
      parcel.header = {};
      parcel.raw.clear();
      empty_.push_back(std::move(parcel));
      failure_ = failure;
      changed_.notify_all();
      if (failure_) return;
    }
  }

  void pack(Parcel& parcel) {
    stored_.resize(ZSTD_compressBound(parcel.raw.size()));
    const std::size_t size = ZSTD_compress(stored_.data(), stored_.size(), parcel.raw.data(),
                                           parcel.raw.size(), compression_level);
    const std::span<const std::byte> stored(stored_.data(), size);
    parcel.header.raw_bytes = static_cast<std::uint32_t>(parcel.raw.size());
    parcel.header.stored_bytes = static_cast<std::uint32_t>(size);
    parcel.header.checksum = chunk_checksum(parcel.header, stored);
    write(std::as_bytes(std::span(&parcel.header, 1)));
    write(stored);
    flush();
  }

  const std::filesystem::path part_;
  std::ofstream out_;
  std::uint64_t offset_ = 0;
  std::vector<IndexEntry> index_;
  std::vector<std::byte> stored_;
  std::mutex mutex_;
  std::condition_variable changed_;
  std::deque<Parcel> waiting_;
  std::vector<Parcel> empty_;
  std::exception_ptr failure_;
  bool closing_ = false;
  std::thread thread_;
};

void append_text(std::vector<std::byte>& out, const std::string& text) {
  append_one(out, static_cast<std::uint32_t>(text.size()));
  append(out, std::as_bytes(std::span(text)));
}

void append_nothing(std::vector<std::byte>& out, std::size_t numbers) {
  out.resize(out.size() + numbers * sizeof(float));
}

// A part of what a row-wise buffer holds for one role, or nothing if there is no such buffer.
void append_estimates(std::vector<std::byte>& out, std::span<const float>& left,
                      std::size_t numbers) {
  if (left.empty()) return append_nothing(out, numbers);
  append(out, left.first(numbers));
  left = left.subspan(numbers);
}

}  // namespace

struct ReplayWriter::State {
  State(const std::filesystem::path& to, const Game& played)
      : place(to), game(played), file(place.part()) {
    for (const Role& role : game.roles()) {
      values += role.seats.size();
      probabilities += role.seats.size() * probability_count(role.controls);
    }
  }

  OutputPlace place;
  const Game game;
  ChunkFile file;
  Parcel chunk;
  std::vector<std::byte> overlays;  // of the next moment
  std::vector<Overlay> drawing;     // by the game's own code
  std::uint32_t overlay_count = 0, episodes = 0;
  std::size_t values = 0, probabilities = 0;  // of all seats

  void check(const Estimates& estimates) const {
    const auto fits = [](std::span<const float> given, std::size_t wanted, const char* what) {
      if (!given.empty() && given.size() != wanted)
        throw Error(ErrorKind::usage,
                    std::to_string(given.size()) + " " + what + " are given for seats that have " +
                        std::to_string(wanted),
                    "ReplayWriter::add", "give those of all seats, role by role, or none");
    };
    fits(estimates.values, values, "values");
    fits(estimates.probabilities, probabilities, "probabilities");
  }
  void flush_moments() {
    if (chunk.header.moments > 0) file.send(chunk);
  }
};

ReplayWriter::ReplayWriter(const std::filesystem::path& path, const Game& game,
                           const ReplayInfo& info)
    : state_(std::make_unique<State>(path, game)) {
  State& s = *state_;
  const std::string header = header_of(game, info).sorted().dump();
  const FileStart start{magic, version, static_cast<std::uint32_t>(header.size()),
                        hash_text(header)};
  s.file.write(std::as_bytes(std::span(&start, 1)));
  s.file.write(std::as_bytes(std::span(header)));
  s.file.flush();
  s.file.start();
}

ReplayWriter::~ReplayWriter() {
  try {
    if (state_) state_->flush_moments();  // what was played is kept in the unfinished file
  } catch (const std::exception&) {       // a destructor cannot report it
  }
}

void ReplayWriter::add(const Environment& environment, std::size_t lane, Estimates estimates) {
  State& s = *state_;
  s.check(estimates);
  const std::uint32_t step = environment.steps(lane);
  if (step == 0) {
    s.flush_moments();
    ++s.episodes;
  }
  if (s.chunk.header.moments == moments_per_chunk || s.chunk.raw.size() >= full_chunk)
    s.flush_moments();
  ChunkHeader& header = s.chunk.header;
  if (header.moments == 0) {
    header.kind = static_cast<std::uint32_t>(ChunkKind::moments);
    header.episode = s.episodes - 1;
    header.first_step = step;
  }
  ++header.moments;
  header.outcome = static_cast<std::uint32_t>(environment.outcome(lane));

  std::vector<std::byte>& raw = s.chunk.raw;
  append_one(raw, step);
  append_one(raw, header.outcome);
  append(raw, environment.recorded(lane));
  for (std::size_t r = 0; r < s.game.roles().size(); ++r) {
    const Role& role = s.game.roles()[r];
    const std::size_t seats = role.seats.size(), row = lane * seats;
    append(raw, environment.observations(r).subspan(row * role.columns.size(),
                                                    seats * role.columns.size()));
    if (step == 0) {
      append_nothing(raw, seats * (role.controls.size() + role.terms.size()));
    } else {
      append(raw, environment.given_controls(r).subspan(row * role.controls.size(),
                                                        seats * role.controls.size()));
      for (std::size_t seat = 0; seat < seats; ++seat)
        append(raw, environment.rewards_by_term(r, row + seat));
    }
    append_estimates(raw, estimates.values, seats);
    append_estimates(raw, estimates.probabilities, seats * probability_count(role.controls));
  }
  append_one(raw, static_cast<std::uint32_t>(environment.events(lane).size()));
  for (const Event& e : environment.events(lane))
    append_one(raw, StoredEvent{e.tick, static_cast<std::uint32_t>(e.kind), e.who.number(),
                                e.whom.number(), e.x, e.y, e.z, e.strength, e.detail,
                                stored(e.by_who), stored(e.by_whom)});
  s.drawing.clear();
  environment.draw(lane, s.drawing);
  for (const Overlay& overlay : s.drawing) draw(overlay);
  append_one(raw, std::exchange(s.overlay_count, 0));
  append(raw, std::span<const std::byte>(s.overlays));
  s.overlays.clear();
}

void ReplayWriter::draw(const Overlay& overlay) {
  State& s = *state_;
  append_one(s.overlays, static_cast<std::uint32_t>(overlay.form));
  append(s.overlays, std::span<const std::uint8_t>(overlay.colour));
  append_one(s.overlays, std::uint8_t{0});
  append_text(s.overlays, overlay.name);
  append_text(s.overlays, overlay.label);
  append_one(s.overlays, static_cast<std::uint32_t>(overlay.numbers.size()));
  append(s.overlays, std::span<const float>(overlay.numbers));
  ++s.overlay_count;
}

void ReplayWriter::finish() {
  State& s = *state_;
  s.flush_moments();
  s.file.finish();
  s.place.publish();
}

void ReplayWriter::discard() {
  state_->file.stop();
  state_->place.discard();
}

}  // namespace zithercraft
