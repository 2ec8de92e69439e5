#include "io/import/import.h"

#include <cerrno>
#include <chrono>
#include <csignal>
#include <cstring>
#include <fcntl.h>
#include <fmt/format.h>
#include <fstream>
#include <poll.h>
#include <spawn.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <type_traits>
#include <unistd.h>
#ifdef THICKET_SECCOMP
#include <seccomp.h>
#endif

namespace thicket::detail {
namespace {

/// Values as bytes between two halves of the same program: no byte order or version to mind.
class Packer {
public:
    template <class T> void plain(const T& value) {
        static_assert(std::is_trivially_copyable_v<T>);
        const auto* bytes = reinterpret_cast<const char*>(&value);
        m_bytes.insert(m_bytes.end(), bytes, bytes + sizeof value);
    }
    template <class T> void array(const std::vector<T>& values) {
        plain<std::uint64_t>(values.size());
        const auto* bytes = reinterpret_cast<const char*>(values.data());
        m_bytes.insert(m_bytes.end(), bytes, bytes + values.size() * sizeof(T));
    }
    void text(const std::string& value) { array(std::vector<char>(value.begin(), value.end())); }
    [[nodiscard]] const std::vector<char>& bytes() const { return m_bytes; }

private:
    std::vector<char> m_bytes;
};

class Unpacker {
public:
    explicit Unpacker(const std::vector<char>& bytes) : m_bytes(bytes) {}
    template <class T> T plain() {
        T value{};
        if (take(sizeof value))
            std::memcpy(&value, m_bytes.data() + m_at - sizeof value, sizeof value);
        return value;
    }
    template <class T> std::vector<T> array() {
        const auto count = plain<std::uint64_t>();
        std::vector<T> values;
        if (count > (m_bytes.size() - m_at) / sizeof(T) || !take(count * sizeof(T))) {
            m_whole = false;
            return values;
        }
        values.resize(count);
        if (count > 0)
            std::memcpy(static_cast<void*>(values.data()), m_bytes.data() + m_at - count * sizeof(T),
                        count * sizeof(T));
        return values;
    }
    std::string text() {
        const auto letters = array<char>();
        return {letters.begin(), letters.end()};
    }
    [[nodiscard]] bool whole() const { return m_whole; }

private:
    bool take(std::size_t size) {
        m_whole = m_whole && size <= m_bytes.size() - m_at;
        if (m_whole)
            m_at += size;
        return m_whole;
    }
    const std::vector<char>& m_bytes;
    std::size_t m_at = 0;
    bool m_whole = true;
};

void pack(Packer& to, const ImportedSubject& s) {
    to.text(s.name);
    to.text(s.source.family);
    to.plain<std::uint64_t>(s.notes.size());
    for (const std::string& note : s.notes)
        to.text(note);
    to.plain<std::uint64_t>(s.surfaces.images.size());
    for (const Image& image : s.surfaces.images) {
        to.text(image.name);
        to.text(image.mimeType);
        to.array(image.encoded);
    }
    to.plain<std::uint64_t>(s.surfaces.materials.size());
    for (const Material& m : s.surfaces.materials) {
        // What the import library's reader fills in; the rest keeps its defaults.
        to.text(m.name);
        for (Eigen::Index i = 0; i < 4; ++i)
            to.plain(m.baseColor[i]);
        to.plain(m.doubleSided);
        to.plain(m.baseColorImage);
    }
    to.plain<std::uint64_t>(s.levels.size());
    for (const ImportedLevel& level : s.levels) {
        to.text(level.name);
        to.plain(level.named);
        to.array(level.mesh.positions);
        to.array(level.mesh.normals);
        to.array(level.mesh.uvs);
        to.array(level.mesh.colors);
        to.array(level.mesh.indices);
        to.array(level.mesh.parts);
    }
}

ImportedSubject unpackSubject(Unpacker& from) {
    ImportedSubject s;
    s.name = from.text();
    s.source.family = from.text();
    for (auto n = from.plain<std::uint64_t>(); n > 0 && from.whole(); --n)
        s.notes.push_back(from.text());
    for (auto n = from.plain<std::uint64_t>(); n > 0 && from.whole(); --n) {
        Image image;
        image.name = from.text();
        image.mimeType = from.text();
        image.encoded = from.array<std::byte>();
        s.surfaces.images.push_back(std::move(image));
    }
    for (auto n = from.plain<std::uint64_t>(); n > 0 && from.whole(); --n) {
        Material m;
        m.name = from.text();
        for (Eigen::Index i = 0; i < 4; ++i)
            m.baseColor[i] = from.plain<float>();
        m.doubleSided = from.plain<bool>();
        m.baseColorImage = from.plain<int>();
        s.surfaces.materials.push_back(std::move(m));
    }
    for (auto n = from.plain<std::uint64_t>(); n > 0 && from.whole(); --n) {
        ImportedLevel level;
        level.name = from.text();
        level.named = from.plain<int>();
        level.mesh.positions = from.array<Vec3f>();
        level.mesh.normals = from.array<Vec3f>();
        level.mesh.uvs = from.array<Vec2f>();
        level.mesh.colors = from.array<Vec4f>();
        level.mesh.indices = from.array<std::uint32_t>();
        level.mesh.parts = from.array<MeshPart>();
        s.levels.push_back(std::move(level));
    }
    return s;
}

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

constexpr rlim_t kSpareBytes = 1'000'000'000;
constexpr rlim_t kBytesPerFileByte = 64;

/// Seconds of work that a file of this size may take; of waiting, twice as long.
rlim_t secondsFor(rlim_t fileBytes) {
    return 60 + 4 * (fileBytes / 1'000'000);
}

/// What a reader may not take: more memory than any format needs for its file, which is a few dozen times its size,
/// time without end, and anything but reading.
void fenceIn(rlim_t fileBytes) {
#ifndef __SANITIZE_ADDRESS__ // the sanitizer's own shadow is larger than any limit
    std::ifstream statm("/proc/self/statm");
    if (rlim_t pages = 0; statm >> pages) {
        const rlim_t most =
            pages * static_cast<rlim_t>(sysconf(_SC_PAGESIZE)) + kSpareBytes + kBytesPerFileByte * fileBytes;
        const rlimit space{most, most};
        setrlimit(RLIMIT_AS, &space);
    }
#else
    (void)kBytesPerFileByte;
    (void)kSpareBytes;
#endif
    const rlimit none{0, 0};
    setrlimit(RLIMIT_CORE, &none);
    const rlimit cpu{secondsFor(fileBytes), secondsFor(fileBytes) + 1};
    setrlimit(RLIMIT_CPU, &cpu);
    std::signal(SIGINT, SIG_IGN); // its parent decides
#ifdef THICKET_SECCOMP
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
pid_t startReader(const std::filesystem::path& program, const std::filesystem::path& file, int& from) {
    int fds[2];
    if (pipe2(fds, O_CLOEXEC) != 0)
        return -1;
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_adddup2(&actions, fds[1], STDOUT_FILENO);
    posix_spawn_file_actions_addopen(&actions, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
    posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, "/dev/null", O_WRONLY, 0);
    std::string name = program.string();
    std::string path = file.string();
    char* arguments[] = {name.data(), path.data(), nullptr};
    pid_t child = -1;
    const int failed = posix_spawn(&child, name.c_str(), &actions, nullptr, arguments, environ);
    posix_spawn_file_actions_destroy(&actions);
    close(fds[1]);
    if (failed != 0) {
        close(fds[0]);
        return -1;
    }
    from = fds[0];
    return child;
}

} // namespace

int serveReader(const std::filesystem::path& path, int fd) {
    std::error_code ec;
    const auto size = std::filesystem::file_size(path, ec);
    fenceIn(ec ? 0 : size);
    Packer packer;
    try {
        const auto read = readOther(path, {});
        packer.plain(read.has_value());
        if (read) {
            packer.plain<std::uint64_t>(read->size());
            for (const ImportedSubject& subject : *read)
                pack(packer, subject);
        } else {
            packer.plain(read.error().code);
            packer.text(read.error().where);
            packer.text(read.error().what);
            packer.text(read.error().remedy);
        }
    } catch (...) {
        return 1;
    }
    return sendAll(fd, packer.bytes().data(), packer.bytes().size()) ? 0 : 1;
}

Result<std::vector<ImportedSubject>> readOtherGuarded(const std::filesystem::path& path, const JobContext& job) {
    const auto damaged = [&](const char* what) {
        return Error{ErrorCode::BadInput, path.string(), what,
                     "the file is likely damaged; export it again, best as glTF"};
    };
    std::error_code ec;
    const auto size = std::filesystem::file_size(path, ec);
    const rlim_t fileBytes = ec ? 0 : size;
    const std::filesystem::path program = readerProgram();
    if (program.empty())
        return Error{ErrorCode::NotFound, path.string(), "cannot be read: thicket-reader is not beside this program",
                     "install Lean Thicket again, or export the file as glTF"};
    int from = -1;
    const pid_t child = startReader(program, path, from);
    if (child < 0)
        return Error{ErrorCode::TooLarge, path.string(), "cannot be read now: the system has no process or pipe left",
                     "close other programs"};
    const auto end = std::chrono::steady_clock::now() + std::chrono::seconds(2 * secondsFor(fileBytes));
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
            job.report(0.5, "reading " + path.filename().string());
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
    Unpacker packed(bytes);
    if (!packed.plain<bool>()) {
        Error error;
        error.code = packed.plain<ErrorCode>();
        error.where = packed.text();
        error.what = packed.text();
        error.remedy = packed.text();
        return error;
    }
    std::vector<ImportedSubject> subjects;
    for (auto n = packed.plain<std::uint64_t>(); n > 0 && packed.whole(); --n)
        subjects.push_back(unpackSubject(packed));
    if (!packed.whole())
        return damaged("could not be read whole");
    return subjects;
}

} // namespace thicket::detail
