#include "zithercraft/base/process_group.hpp"

#include <bit>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <exception>
#include <initializer_list>
#include <string>
#include <thread>

#include "zithercraft/base/error.hpp"

#ifdef ZITHERCRAFT_MPI
#include <mpi.h>

#include <limits>
#endif

namespace zithercraft {
namespace {

// The launcher gives its children their number and count before they join.
std::size_t told_by_launcher(std::initializer_list<const char*> names, std::size_t otherwise) {
  for (const char* name : names)
    if (const char* number = std::getenv(name)) return std::strtoul(number, nullptr, 10);
  return otherwise;
}
std::size_t started_together() { return told_by_launcher({"OMPI_COMM_WORLD_SIZE", "PMI_SIZE"}, 1); }
std::size_t started_as() { return told_by_launcher({"OMPI_COMM_WORLD_RANK", "PMI_RANK"}, 0); }

#ifdef ZITHERCRAFT_MPI

constexpr std::size_t most_bytes = std::numeric_limits<int>::max();  // MPI counts in these

class MpiGroup final : public ProcessGroup {
 public:
  MpiGroup() {
    int given = 0, number = 0, count = 0, here = 0;
    MPI_Init_thread(nullptr, nullptr, MPI_THREAD_FUNNELED, &given);
    MPI_Comm_rank(MPI_COMM_WORLD, &number);
    MPI_Comm_size(MPI_COMM_WORLD, &count);
    MPI_Comm machine;
    MPI_Comm_split_type(MPI_COMM_WORLD, MPI_COMM_TYPE_SHARED, 0, MPI_INFO_NULL, &machine);
    MPI_Comm_size(machine, &here);
    MPI_Comm_free(&machine);
    number_ = static_cast<std::size_t>(number);
    count_ = static_cast<std::size_t>(count);
    here_ = static_cast<std::size_t>(here);
    sizes_.resize(count_);
    places_.resize(count_);
    sent_sizes_.resize(count_);
    sent_places_.resize(count_);
  }
  // Leaving is done together; one that failed would wait for ever.
  ~MpiGroup() override {
    if (std::uncaught_exceptions() == 0) MPI_Finalize();
  }
  MpiGroup(const MpiGroup&) = delete;
  MpiGroup& operator=(const MpiGroup&) = delete;

  std::size_t count() const noexcept override { return count_; }
  std::size_t number() const noexcept override { return number_; }
  std::size_t here() const noexcept override { return here_; }

  // Every process adds one part of the numbers up for all: two parts of the whole are sent and
  // received, however many processes there are, and the order of the sum is ours.
  void add_up(std::span<float> numbers) override {
    const auto begin_of = [&](std::size_t process) { return numbers.size() * process / count_; };
    const std::size_t begin = begin_of(number_), own = begin_of(number_ + 1) - begin;
    parts_.resize(own * count_);
    for (std::size_t process = 0; process < count_; ++process) {
      sent_places_[process] = static_cast<int>(begin_of(process));
      sent_sizes_[process] = static_cast<int>(begin_of(process + 1) - begin_of(process));
      places_[process] = static_cast<int>(process * own);
      sizes_[process] = static_cast<int>(own);
    }
    MPI_Alltoallv(numbers.data(), sent_sizes_.data(), sent_places_.data(), MPI_FLOAT, parts_.data(),
                  sizes_.data(), places_.data(), MPI_FLOAT, MPI_COMM_WORLD);
    for (std::size_t apart = 1; apart < count_; apart *= 2)
      for (std::size_t process = 0; process + apart < count_; process += 2 * apart)
        for (std::size_t i = 0; i < own; ++i)
          parts_[process * own + i] += parts_[(process + apart) * own + i];
    MPI_Allgatherv(parts_.data(), static_cast<int>(own), MPI_FLOAT, numbers.data(),
                   sent_sizes_.data(), sent_places_.data(), MPI_FLOAT, MPI_COMM_WORLD);
  }

  std::vector<std::byte> gather(std::span<const std::byte> own) override {
    if (own.size() > most_bytes / count_)
      throw Error(ErrorKind::refused, "the processes have too much to send each other",
                  "the processes", "train fewer lanes");
    const int size = static_cast<int>(own.size());
    MPI_Allgather(&size, 1, MPI_INT, sizes_.data(), 1, MPI_INT, MPI_COMM_WORLD);
    int whole = 0;
    for (std::size_t process = 0; process < count_; ++process) {
      places_[process] = whole;
      whole += sizes_[process];
    }
    std::vector<std::byte> all(static_cast<std::size_t>(whole));
    MPI_Allgatherv(own.data(), size, MPI_BYTE, all.data(), sizes_.data(), places_.data(), MPI_BYTE,
                   MPI_COMM_WORLD);
    return all;
  }

  std::vector<std::byte> ask(std::span<const std::byte> question) override {
    MPI_Send(question.data(), static_cast<int>(question.size()), MPI_BYTE, 0, asked,
             MPI_COMM_WORLD);
    return received(0, answered)->text;
  }
  std::optional<Question> question() override { return received(MPI_ANY_SOURCE, asked, false); }
  void answer(std::size_t process, std::span<const std::byte> text) override {
    MPI_Send(text.data(), static_cast<int>(text.size()), MPI_BYTE, static_cast<int>(process),
             answered, MPI_COMM_WORLD);
  }

 private:
  static constexpr int asked = 1, answered = 2;  // kinds of messages

  // Looks now and then instead of waiting: waiting would keep a processor busy.
  static std::optional<Question> received(int from, int kind, bool wait = true) {
    MPI_Status status;
    int there = 0;
    while (MPI_Iprobe(from, kind, MPI_COMM_WORLD, &there, &status), there == 0) {
      if (!wait) return std::nullopt;
      std::this_thread::sleep_for(std::chrono::milliseconds(2));
    }
    int size = 0;
    MPI_Get_count(&status, MPI_BYTE, &size);
    Question question{static_cast<std::size_t>(status.MPI_SOURCE),
                      std::vector<std::byte>(static_cast<std::size_t>(size))};
    MPI_Recv(question.text.data(), size, MPI_BYTE, status.MPI_SOURCE, kind, MPI_COMM_WORLD,
             MPI_STATUS_IGNORE);
    return question;
  }

  std::size_t number_ = 0, count_ = 1, here_ = 1;
  std::vector<int> sizes_, places_, sent_sizes_, sent_places_;
  std::vector<float> parts_;
};

#endif

}  // namespace

std::unique_ptr<ProcessGroup> join_process_group(Together together) {
  const std::size_t count = started_together();
  if (count <= 1) return nullptr;
#ifdef ZITHERCRAFT_MPI
  if (together == Together::training && !std::has_single_bit(count))
    throw Error(ErrorKind::refused, std::to_string(count) + " processes cannot train together",
                "the processes", "start 2, 4, 8 or another power of two");
  return std::make_unique<MpiGroup>();
#else
  static_cast<void>(together);
  throw Error(ErrorKind::refused, "this build cannot train in several processes", "mpirun",
              "install libopenmpi-dev and build again");
#endif
}

void end_all_processes(const std::string& message, int status) {
  // Time enough for the first to have said it and for the launcher to have ended the others.
  if (started_as() != 0) std::this_thread::sleep_for(std::chrono::seconds(5));
  std::fprintf(stderr, "%s\n", message.c_str());
#ifdef ZITHERCRAFT_MPI
  int joined = 0;
  MPI_Initialized(&joined);
  if (joined != 0) MPI_Abort(MPI_COMM_WORLD, status);
#endif
  std::exit(status);
}

}  // namespace zithercraft
