#include "io/import/import.h"

#include <cerrno>
#include <csignal>
#include <cstring>
#include <fcntl.h>
#include <fmt/format.h>
#include <fstream>
#include <poll.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <type_traits>
#include <unistd.h>

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

void sendAll(int fd, const char* data, std::size_t size) {
    while (size > 0) {
        const ssize_t sent = write(fd, data, size);
        if (sent < 0 && errno == EINTR)
            continue;
        if (sent <= 0)
            _exit(1);
        data += sent;
        size -= static_cast<std::size_t>(sent);
    }
}

constexpr rlim_t kSpareBytes = 1'000'000'000;
constexpr rlim_t kBytesPerFileByte = 64;

/// The child's whole life. Ends by _exit, so that nothing of the parent's is torn down twice.
[[noreturn]] void readInChild(const std::filesystem::path& path, int fd, rlim_t fileBytes) {
    // A lying header must not make the whole machine swap: what any format needs is a few dozen times its file.
    std::ifstream statm("/proc/self/statm");
    if (rlim_t pages = 0; statm >> pages) {
        const rlim_t most =
            pages * static_cast<rlim_t>(sysconf(_SC_PAGESIZE)) + kSpareBytes + kBytesPerFileByte * fileBytes;
        const rlimit space{most, most};
        setrlimit(RLIMIT_AS, &space);
    }
    const rlimit noCore{0, 0};
    setrlimit(RLIMIT_CORE, &noCore);
    const rlim_t seconds = 60 + 4 * (fileBytes / 1'000'000);
    const rlimit cpu{seconds, seconds + 1};
    setrlimit(RLIMIT_CPU, &cpu);
    for (const int signal : {SIGSEGV, SIGABRT, SIGBUS, SIGFPE, SIGILL, SIGXCPU, SIGINT})
        std::signal(signal, signal == SIGINT ? SIG_IGN : SIG_DFL);
    if (const int quiet = open("/dev/null", O_WRONLY); quiet >= 0)
        dup2(quiet, STDERR_FILENO);
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
        _exit(1);
    }
    sendAll(fd, packer.bytes().data(), packer.bytes().size());
    _exit(0);
}

} // namespace

Result<std::vector<ImportedSubject>> readOtherGuarded(const std::filesystem::path& path, const JobContext& job) {
    const auto damaged = [&](const char* what) {
        return Error{ErrorCode::BadInput, path.string(), what,
                     "the file is likely damaged; export it again, best as glTF"};
    };
    std::error_code ec;
    const auto size = std::filesystem::file_size(path, ec);
    const rlim_t fileBytes = ec ? 0 : size;
    int fds[2];
    if (pipe2(fds, O_CLOEXEC) != 0)
        return Error{ErrorCode::TooLarge, path.string(), "cannot be read now: the system has no pipe left",
                     "close other programs"};
    const pid_t child = fork();
    if (child < 0) {
        close(fds[0]);
        close(fds[1]);
        return Error{ErrorCode::TooLarge, path.string(), "cannot be read now: the system has no process left",
                     "close other programs"};
    }
    if (child == 0) {
        close(fds[0]);
        readInChild(path, fds[1], fileBytes);
    }
    close(fds[1]);
    std::vector<char> bytes;
    std::vector<char> chunk(1 << 20);
    bool cancelled = false;
    while (true) {
        if (job.cancelled()) {
            kill(child, SIGKILL);
            cancelled = true;
            break;
        }
        pollfd waiting{fds[0], POLLIN, 0};
        if (poll(&waiting, 1, 50) == 0) {
            job.report(0.5, "reading " + path.filename().string());
            continue;
        }
        const ssize_t got = read(fds[0], chunk.data(), chunk.size());
        if (got < 0 && errno == EINTR)
            continue;
        if (got <= 0)
            break;
        bytes.insert(bytes.end(), chunk.begin(), chunk.begin() + got);
    }
    close(fds[0]);
    int status = 0;
    while (waitpid(child, &status, 0) < 0 && errno == EINTR) {
    }
    if (cancelled)
        return cancelledError();
    if (WIFSIGNALED(status) && (WTERMSIG(status) == SIGXCPU || WTERMSIG(status) == SIGKILL))
        return damaged("could not be read in a sensible time or memory");
    if (!WIFEXITED(status) || WEXITSTATUS(status) != 0 || bytes.empty())
        return damaged("could not be read: its reader broke off");
    Unpacker from(bytes);
    if (!from.plain<bool>()) {
        Error error;
        error.code = from.plain<ErrorCode>();
        error.where = from.text();
        error.what = from.text();
        error.remedy = from.text();
        return error;
    }
    std::vector<ImportedSubject> subjects;
    for (auto n = from.plain<std::uint64_t>(); n > 0 && from.whole(); --n)
        subjects.push_back(unpackSubject(from));
    if (!from.whole())
        return damaged("could not be read whole");
    return subjects;
}

} // namespace thicket::detail
