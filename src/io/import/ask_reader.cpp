#include "io/import/ask_reader.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <chrono>
#include <csignal>
#include <fcntl.h>
#include <fstream>
#include <poll.h>
#include <spawn.h>
#include <sys/mman.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>
#ifdef THICKET_SECCOMP
#include <seccomp.h>
#endif

namespace thicket::detail {
namespace {

constexpr rlim_t kSpareBytes = 1'000'000'000;
constexpr rlim_t kBytesPerFileByte = 64;

/// Seconds of work that a file of this size may take; of waiting, twice as long.
rlim_t secondsFor(rlim_t fileBytes) {
    return 60 + 4 * (fileBytes / 1'000'000);
}

/// The reader's program: beside this one, or where it is installed.
std::filesystem::path readerProgram() {
    std::error_code ec;
    const auto self = std::filesystem::read_symlink("/proc/self/exe", ec).parent_path();
    for (const auto& place :
         {self / "thicket-reader", self.parent_path() / "libexec" / "lean-thicket" / "thicket-reader"})
        if (std::filesystem::is_regular_file(place, ec))
            return place;
    return {};
}

/// Starts the reader with its output on a pipe; -1 when that cannot be. Returns the end to read from in `from`.
/// input  what it reads from; less than 0: nothing.
pid_t startReader(const std::filesystem::path& program, std::vector<std::string> arguments, int input, int& from) {
    int fds[2];
    if (pipe2(fds, O_CLOEXEC) != 0)
        return -1;
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_adddup2(&actions, fds[1], STDOUT_FILENO);
    if (input >= 0)
        posix_spawn_file_actions_adddup2(&actions, input, STDIN_FILENO);
    else
        posix_spawn_file_actions_addopen(&actions, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
    posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, "/dev/null", O_WRONLY, 0);
    std::string name = program.string();
    std::vector<char*> all{name.data()};
    for (std::string& argument : arguments)
        all.push_back(argument.data());
    all.push_back(nullptr);
    pid_t child = -1;
    const int failed = posix_spawn(&child, name.c_str(), &actions, nullptr, all.data(), environ);
    posix_spawn_file_actions_destroy(&actions);
    close(fds[1]);
    if (failed != 0) {
        close(fds[0]);
        return -1;
    }
    from = fds[0];
    return child;
}

/// A file of no name that holds these bytes, to be read from its beginning; less than 0 where there is no room for it.
int heldInMemory(const std::vector<char>& bytes) {
    const int file = memfd_create("input", MFD_CLOEXEC);
    if (file < 0)
        return -1;
    if (sendAll(file, bytes.data(), bytes.size()) && lseek(file, 0, SEEK_SET) == 0)
        return file;
    close(file);
    return -1;
}

} // namespace

bool sendAll(int fd, const char* data, std::size_t size) {
    while (size > 0) {
        const ssize_t sent = write(fd, data, size);
        if (sent < 0 && errno == EINTR)
            continue;
        if (sent <= 0)
            return false;
        data += sent;
        size -= static_cast<std::size_t>(sent);
    }
    return true;
}

std::vector<char> receiveAll(int fd) {
    std::vector<char> out;
    std::vector<char> chunk(std::size_t{1} << 20);
    while (true) {
        const ssize_t got = read(fd, chunk.data(), chunk.size());
        if (got < 0 && errno == EINTR)
            continue;
        if (got <= 0)
            return out;
        out.insert(out.end(), chunk.begin(), chunk.begin() + got);
    }
}

// It may not take more memory than any format needs for its file, which is a few dozen times its size, nor time without
// end, nor do anything but reading.
void fenceIn(std::uint64_t inputBytes) {
#ifndef __SANITIZE_ADDRESS__ // the sanitizer's own shadow is larger than any limit
    std::ifstream statm("/proc/self/statm");
    if (rlim_t pages = 0; statm >> pages) {
        const rlim_t most =
            pages * static_cast<rlim_t>(sysconf(_SC_PAGESIZE)) + kSpareBytes + kBytesPerFileByte * inputBytes;
        const rlimit space{most, most};
        setrlimit(RLIMIT_AS, &space);
    }
#else
    (void)kBytesPerFileByte;
    (void)kSpareBytes;
#endif
    const rlimit none{0, 0};
    setrlimit(RLIMIT_CORE, &none);
    const rlimit cpu{secondsFor(inputBytes), secondsFor(inputBytes) + 1};
    setrlimit(RLIMIT_CPU, &cpu);
    std::signal(SIGINT, SIG_IGN);                              // its parent decides
#if defined(THICKET_SECCOMP) && !defined(__SANITIZE_ADDRESS__) // the sanitizer traces itself to look for leaks
    // Neither the network, nor other programs, nor writing: a damaged file that takes the reader over gains nothing.
    if (scmp_filter_ctx filter = seccomp_init(SCMP_ACT_ALLOW)) {
        for (const int call :
             {SCMP_SYS(socket),    SCMP_SYS(connect), SCMP_SYS(bind),     SCMP_SYS(listen),    SCMP_SYS(execve),
              SCMP_SYS(execveat),  SCMP_SYS(fork),    SCMP_SYS(vfork),    SCMP_SYS(ptrace),    SCMP_SYS(unlink),
              SCMP_SYS(unlinkat),  SCMP_SYS(rename),  SCMP_SYS(renameat), SCMP_SYS(renameat2), SCMP_SYS(mkdir),
              SCMP_SYS(mkdirat),   SCMP_SYS(rmdir),   SCMP_SYS(link),     SCMP_SYS(linkat),    SCMP_SYS(symlink),
              SCMP_SYS(symlinkat), SCMP_SYS(chmod),   SCMP_SYS(fchmodat), SCMP_SYS(chown),     SCMP_SYS(fchownat),
              SCMP_SYS(truncate),  SCMP_SYS(creat)})
            seccomp_rule_add(filter, SCMP_ACT_ERRNO(EPERM), call, 0);
        for (const auto mode : {O_WRONLY, O_RDWR}) {
            seccomp_rule_add(filter, SCMP_ACT_ERRNO(EPERM), SCMP_SYS(openat), 1,
                             SCMP_A2(SCMP_CMP_MASKED_EQ, O_ACCMODE, static_cast<scmp_datum_t>(mode)));
            seccomp_rule_add(filter, SCMP_ACT_ERRNO(EPERM), SCMP_SYS(open), 1,
                             SCMP_A1(SCMP_CMP_MASKED_EQ, O_ACCMODE, static_cast<scmp_datum_t>(mode)));
        }
        seccomp_load(filter); // where the kernel has no filters, the limits above still hold
        seccomp_release(filter);
    }
#endif
}

Result<std::vector<char>> askReader(const std::vector<std::string>& arguments, const std::vector<char>& input,
                                    std::uint64_t inputBytes, const std::filesystem::path& where,
                                    const JobContext& job) {
    const auto damaged = [&](const char* what) {
        return Error{ErrorCode::BadInput, where.string(), what,
                     "the file is likely damaged; export it again, best as glTF"};
    };
    const auto noRoom = [&] {
        return Error{ErrorCode::TooLarge, where.string(), "cannot be read now: the system has no process or pipe left",
                     "close other programs"};
    };
    const std::filesystem::path program = readerProgram();
    if (program.empty())
        return Error{ErrorCode::NotFound, where.string(), "cannot be read: thicket-reader is not beside this program",
                     "install Lean Thicket again, or export the file as glTF"};
    const int held = input.empty() ? -1 : heldInMemory(input);
    if (!input.empty() && held < 0)
        return noRoom();
    int from = -1;
    const pid_t child = startReader(program, arguments, held, from);
    if (held >= 0)
        close(held);
    if (child < 0)
        return noRoom();
    const auto end = std::chrono::steady_clock::now() + std::chrono::seconds(2 * secondsFor(inputBytes));
    bool late = false;
    std::vector<char> bytes;
    std::vector<char> chunk(1 << 20);
    bool cancelled = false;
    while (true) {
        if (job.cancelled()) {
            kill(child, SIGKILL);
            cancelled = true;
            break;
        }
        if (std::chrono::steady_clock::now() > end) {
            kill(child, SIGKILL);
            late = true;
            break;
        }
        pollfd waiting{from, POLLIN, 0};
        if (poll(&waiting, 1, 50) == 0) {
            job.report(0.5, "reading " + where.filename().string());
            continue;
        }
        const ssize_t got = read(from, chunk.data(), chunk.size());
        if (got < 0 && errno == EINTR)
            continue;
        if (got <= 0)
            break;
        bytes.insert(bytes.end(), chunk.begin(), chunk.begin() + got);
    }
    close(from);
    int status = 0;
    while (waitpid(child, &status, 0) < 0 && errno == EINTR) {
    }
    if (cancelled)
        return cancelledError();
    if (late || (WIFSIGNALED(status) && (WTERMSIG(status) == SIGXCPU || WTERMSIG(status) == SIGKILL)))
        return damaged("could not be read in a sensible time or memory");
    if (!WIFEXITED(status) || WEXITSTATUS(status) != 0 || bytes.empty())
        return damaged("could not be read: its reader broke off");
    return bytes;
}
} // namespace thicket::detail
