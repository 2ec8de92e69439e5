// Heights without a picture format: ASCII grids and raw samples.
#include "io/import/heights_parts.h"

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

/// Words of a file, however long it is: some of it is held at a time.
class FileWords {
public:
    explicit FileWords(std::ifstream& in) : m_in(in) { m_ended = !more(); }
    /// Empty at the end. Valid until the next.
    std::string_view next() {
        for (;;) {
            const std::size_t before = m_words.at();
            const std::string_view word = m_words.next();
            // One that ends where the part does may go on in the next.
            if (m_ended || m_words.at() < m_part.size())
                return word;
            m_words.back(before);
            m_ended = !more();
        }
    }

private:
    bool more() {
        constexpr std::size_t kPart = std::size_t{1} << 20;
        const std::string rest(m_part, m_words.at());
        if (rest.size() > kPart) // no number is as long as that
            return false;
        m_part = rest;
        m_part.resize(rest.size() + kPart);
        m_in.read(m_part.data() + rest.size(), static_cast<std::streamsize>(kPart));
        m_part.resize(rest.size() + static_cast<std::size_t>(m_in.gcount()));
        m_words = Words(m_part);
        return m_in.gcount() > 0;
    }
    std::ifstream& m_in;
    std::string m_part;
    Words m_words{{}};
    bool m_ended = false;
};

} // namespace

Result<RawHeights> readGridHeights(const std::filesystem::path& path, const HeightRoom& room, const JobContext& job) {
    const std::string where = path.string();
    std::error_code error;
    const std::uintmax_t size = std::filesystem::file_size(path, error);
    if (error)
        return Error{ErrorCode::NotFound, where, "cannot be opened", "check its name and its rights"};
    std::ifstream in(path, std::ios::binary);
    if (!in)
        return Error{ErrorCode::NotFound, where, "cannot be opened", "check its name and its rights"};
    // Its first lines, as much as they can take.
    std::string head(4096, '\0');
    in.read(head.data(), static_cast<std::streamsize>(head.size()));
    head.resize(static_cast<std::size_t>(in.gcount()));
    Words words(head);
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
    if (!room)
        return out;
    auto grid = room(out.info);
    if (!grid)
        return grid.error();
    out.grid = std::move(*grid);
    in.clear();
    in.seekg(static_cast<std::streamoff>(words.at()));
    FileWords values(in);
    float* row = nullptr;
    for (std::uint64_t i = 0; i < columns * rows; ++i) {
        if ((i & 0xFFFFU) == 0) {
            if (job.cancelled())
                return cancelledError();
            job.report(static_cast<double>(i) / static_cast<double>(columns * rows), "Reading heights");
        }
        if (i % columns == 0)
            row = out.grid.edit(static_cast<std::uint32_t>(i / columns));
        const std::string_view word = values.next();
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
        row[i % columns] = value;
    }
    if (!values.next().empty())
        out.notes.emplace_back("goes on after its last row; the rest is passed over");
    return out;
}

Result<RawHeights> readRawHeights(const std::filesystem::path& path, const HeightOptions& options,
                                  const HeightRoom& room, const JobContext& job) {
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
    if (!room)
        return out;
    auto grid = room(out.info);
    if (!grid)
        return grid.error();
    out.grid = std::move(*grid);
    std::ifstream in(path, std::ios::binary);
    std::vector<unsigned char> samples(columns * bytes);
    for (std::uint32_t y = 0; y < out.info.rows; ++y) {
        if ((y & 63U) == 0) {
            if (job.cancelled())
                return cancelledError();
            job.report(static_cast<double>(y) / static_cast<double>(rows), "Reading heights");
        }
        if (!in.read(reinterpret_cast<char*>(samples.data()), static_cast<std::streamsize>(samples.size())))
            return Error{ErrorCode::BadInput, where, "changed while it was read", "try again"};
        float* to = out.grid.edit(y);
        for (std::size_t x = 0; x < columns; ++x) {
            std::uint32_t v = 0;
            for (std::size_t k = 0; k < bytes; ++k)
                v |= static_cast<std::uint32_t>(samples[x * bytes + (options.bigEndian ? bytes - 1 - k : k)])
                     << (8 * k);
            if (bytes == 4)
                std::memcpy(&to[x], &v, 4);
            else if (options.samples == RawSamples::Signed16)
                to[x] = static_cast<float>(static_cast<std::int16_t>(v));
            else
                to[x] = static_cast<float>(v);
        }
    }
    return out;
}

} // namespace thicket::detail
