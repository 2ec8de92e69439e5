#pragma once
// Values as bytes between two halves of the same program: no byte order or version to mind.

#include <cstdint>
#include <cstring>
#include <string>
#include <type_traits>
#include <vector>

namespace thicket::detail {

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

/// Gives what is not there as nothing, and is not `whole` then.
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

} // namespace thicket::detail
