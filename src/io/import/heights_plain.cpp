// Heights without a picture format: ASCII grids and raw samples.
#include "io/import/heights_parts.h"

#include "base/file.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstring>
#include <fmt/format.h>
#include <fstream>

namespace thicket::detail {
namespace {

/// Words of a text, one after the other.
class Words {
public:
    explicit Words(std::string_view text) : m_text(text) {}
    std::string_view next() {
        const auto space = [](char c) { return c == ' ' || c == '\t' || c == '\n' || c == '\r'; };
        while (m_at < m_text.size() && space(m_text[m_at]))
            ++m_at;
        const std::size_t from = m_at;
        while (m_at < m_text.size() && !space(m_text[m_at]))
            ++m_at;
        return m_text.substr(from, m_at - from);
    }
    [[nodiscard]] std::size_t at() const { return m_at; }
    void back(std::size_t to) { m_at = to; }

private:
    std::string_view m_text;
    std::size_t m_at = 0;
};

template <class Number> bool parse(std::string_view word, Number& out) {
    if (!word.empty() && word.front() == '+')
        word.remove_prefix(1);
    const auto [end, error] = std::from_chars(word.data(), word.data() + word.size(), out);
    return error == std::errc() && end == word.data() + word.size();
}

/// As much of a file as its first lines can take.
Result<std::string> firstPart(const std::filesystem::path& path) {
    constexpr std::size_t kHead = 4096;
    std::ifstream in(path, std::ios::binary);
    if (!in)
        return Error{ErrorCode::NotFound, path.string(), "cannot be opened", "check its name and its rights"};
    std::string out(kHead, '\0');
    in.read(out.data(), static_cast<std::streamsize>(out.size()));
    out.resize(static_cast<std::size_t>(in.gcount()));
    return out;
}

} // namespace

Result<RawHeights> readGridHeights(const std::filesystem::path& path, bool headOnly, const JobContext& job) {
    const std::string where = path.string();
    std::error_code error;
    const std::uintmax_t size = std::filesystem::file_size(path, error);
    if (error)
        return Error{ErrorCode::NotFound, where, "cannot be opened", "check its name and its rights"};
    Result<std::string> text = headOnly ? firstPart(path) : readTextFile(path);
    if (!text)
        return text.error();
    Words words(*text);
    RawHeights out;
    out.info.format = "ASCII grid";
    out.info.bits = 32;
    std::uint64_t columns = 0;
    std::uint64_t rows = 0;
    for (std::size_t line = 0; line < 8; ++line) {
        const std::size_t before = words.at();
        std::string key(words.next());
        std::transform(key.begin(), key.end(), key.begin(),
                       [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
        if (key.empty() || std::isalpha(static_cast<unsigned char>(key.front())) == 0 || key == "nan" || key == "inf") {
            words.back(before);
            break;
        }
        double value = 0;
        if (!parse(words.next(), value))
            return Error{ErrorCode::BadInput, where, fmt::format("has no number after \"{}\"", key.substr(0, 40)),
                         "check its first lines"};
        if (key == "ncols" && value > 0 && value <= 1e9)
            columns = static_cast<std::uint64_t>(value);
        else if (key == "nrows" && value > 0 && value <= 1e9)
            rows = static_cast<std::uint64_t>(value);
        else if (key == "cellsize" && value > 0)
            out.info.spacing = value;
        else if (key == "nodata_value")
            out.info.noData = value;
    }
    if (columns == 0 || rows == 0)
        return Error{ErrorCode::BadInput, where, "does not begin as an ASCII grid does, with ncols and nrows",
                     "check its first lines"};
    if (auto fits = checkHeightSize(columns, rows, where); !fits)
        return fits.error();
    // A number and a space after it are the least that a height takes.
    if (columns * rows > size / 2 + 1)
        return Error{ErrorCode::BadInput, where,
                     fmt::format("is cut short: it says {} x {} heights and is {} bytes long", columns, rows, size),
                     "fetch it again"};
    out.info.columns = static_cast<std::uint32_t>(columns);
    out.info.rows = static_cast<std::uint32_t>(rows);
    if (headOnly)
        return out;
    out.values.resize(columns * rows);
    for (std::size_t i = 0; i < out.values.size(); ++i) {
        if ((i & 0xFFFFU) == 0) {
            if (job.cancelled())
                return cancelledError();
            job.report(static_cast<double>(i) / static_cast<double>(out.values.size()), "Reading heights");
        }
        const std::string_view word = words.next();
        if (word.empty())
            return Error{ErrorCode::BadInput, where,
                         fmt::format("is cut short: it says {} x {} heights and holds {}", columns, rows, i),
                         "fetch it again"};
        float value = 0;
        if (!parse(word, value))
            return Error{ErrorCode::BadInput, where,
                         fmt::format("\"{}\" in row {}, column {} is no number", word.substr(0, 40), i / columns + 1,
                                     i % columns + 1),
                         "mend it"};
        out.values[i] = value;
    }
    if (!words.next().empty())
        out.notes.emplace_back("goes on after its last row; the rest is passed over");
    return out;
}

Result<RawHeights> readRawHeights(const std::filesystem::path& path, const HeightOptions& options, bool headOnly,
                                  const JobContext& job) {
    const std::string where = path.string();
    RawHeights out;
    const std::size_t bytes = options.samples == RawSamples::Float32 ? 4 : 2;
    out.info.format = "raw";
    out.info.bits = static_cast<int>(8 * bytes);
    out.info.whole = options.samples != RawSamples::Float32;
    out.lowest = options.samples == RawSamples::Signed16 ? -32768 : 0;
    out.highest = out.lowest + 65535;
    std::error_code error;
    const std::uintmax_t size = std::filesystem::file_size(path, error);
    if (error)
        return Error{ErrorCode::NotFound, where, "cannot be opened", "check its name and its rights"};
    std::uint64_t columns = options.columns;
    std::uint64_t rows = options.rows;
    if (columns == 0 && rows == 0 && size % bytes == 0) { // a square needs no telling
        const auto side = static_cast<std::uint64_t>(std::llround(std::sqrt(static_cast<double>(size / bytes))));
        if (side * side * bytes == size)
            columns = rows = side;
    }
    if (columns == 0)
        return Error{ErrorCode::BadInput, where, "is raw and not square, so its width must be said", "state its width"};
    if (rows == 0)
        rows = size / bytes / columns;
    if (columns > 1'000'000 || rows > 1'000'000 || columns * rows * bytes != size)
        return Error{ErrorCode::BadInput, where,
                     fmt::format("is {} bytes long, but {} x {} heights of {} bits are {} bytes", size, columns, rows,
                                 8 * bytes,
                                 static_cast<double>(columns) * static_cast<double>(rows) * static_cast<double>(bytes)),
                     "state another size or kind of samples"};
    if (auto fits = checkHeightSize(columns, rows, where); !fits)
        return fits.error();
    out.info.columns = static_cast<std::uint32_t>(columns);
    out.info.rows = static_cast<std::uint32_t>(rows);
    if (headOnly)
        return out;
    job.report(0, "Reading heights");
    auto data = readFile(path);
    if (!data)
        return data.error();
    if (data->size() != columns * rows * bytes)
        return Error{ErrorCode::BadInput, where, "changed while it was read", "try again"};
    out.values.resize(columns * rows);
    for (std::size_t i = 0; i < out.values.size(); ++i) {
        if ((i & 0xFFFFFU) == 0 && job.cancelled())
            return cancelledError();
        std::uint32_t v = 0;
        for (std::size_t k = 0; k < bytes; ++k)
            v |= std::to_integer<std::uint32_t>((*data)[i * bytes + (options.bigEndian ? bytes - 1 - k : k)])
                 << (8 * k);
        if (bytes == 4)
            std::memcpy(&out.values[i], &v, 4);
        else if (options.samples == RawSamples::Signed16)
            out.values[i] = static_cast<float>(static_cast<std::int16_t>(v));
        else
            out.values[i] = static_cast<float>(v);
    }
    return out;
}

} // namespace thicket::detail
