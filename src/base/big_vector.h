#pragma once
// Vectors for arrays as large as a mesh.

#include <cstddef>
#include <cstdlib>
#include <memory>
#include <new>
#include <type_traits>
#include <utility>
#include <vector>

#ifdef __linux__
#include <sys/mman.h>
#endif

namespace thicket {

/// Leaves new entries of plain types as they are, and of those that say so by a member type `LeftAsItIs`: whoever fills
/// them, on all cores, is the first to touch them. Where an array spans some large pages it asks for those:
/// the system hands them out far quicker than small ones.
template <class T> struct PageAllocator {
    using value_type = T;

    PageAllocator() = default;
    template <class U> explicit(false) PageAllocator(const PageAllocator<U>& /*same for all*/) noexcept {}

    static constexpr std::size_t kPage = std::size_t{2} << 20;
    static constexpr std::size_t kLarge = 2 * kPage;

    [[nodiscard]] T* allocate(std::size_t count) {
        const std::size_t bytes = count * sizeof(T);
        if (bytes < kLarge)
            return std::allocator<T>().allocate(count);
        const std::size_t whole = (bytes + kPage - 1) / kPage * kPage;
        void* at = std::aligned_alloc(kPage, whole);
        if (at == nullptr)
            throw std::bad_alloc();
#ifdef __linux__
        madvise(at, whole, MADV_HUGEPAGE); // a wish: small pages do as well
#endif
        return static_cast<T*>(at);
    }
    void deallocate(T* at, std::size_t count) noexcept {
        if (count * sizeof(T) < kLarge)
            std::allocator<T>().deallocate(at, count);
        else
            std::free(at);
    }
    template <class U> void construct(U* at) noexcept {
        if constexpr (requires { typename U::LeftAsItIs; })
            static_assert(std::is_trivially_copyable_v<U>);
        else
            ::new (static_cast<void*>(at)) U;
    }
    template <class U, class... Args> void construct(U* at, Args&&... args) {
        ::new (static_cast<void*>(at)) U(std::forward<Args>(args)...);
    }
    template <class U> bool operator==(const PageAllocator<U>& /*same for all*/) const noexcept {
        return true;
    }
};

/// REQUIRES of what `resize` adds: that it is written before it is read.
template <class T> using BigVector = std::vector<T, PageAllocator<T>>;

} // namespace thicket
