// What a brush does, in order, without keeping the window.
#pragma once
#include <deque>
#include <variant>

#include "app/session/controller.h"

namespace ovrix::app {

/// Touches are worked on the brushes' thread, as many at a time as came while the last were worked on; what
/// happens between them, a stroke that begins or ends, in the window once all before it is done. Of the
/// interface's thread.
template <class Touch, class Made>
class StrokeQueue {
  public:
    using Work = std::function<Made(const std::vector<Touch>&, Progress&)>;

    /// @param owner  in whose life all of it happens  @param made  takes what the touches gave, in the window
    StrokeQueue(Controller& controller, QObject* owner, std::function<void(const Made&)> made)
        : controller_(controller), owner_(owner), made_(std::move(made)) {}

    /// Once all before is done: gives what works on the touches that follow. Empty leaves them out.
    void begin(std::function<Work()> stroke) { add(std::move(stroke)); }
    void touch(Touch touch) { add(std::move(touch)); }
    void end(std::function<void()> done) { add(std::move(done)); }
    bool busy() const { return working_ || !waiting_.empty(); }
    /// What waits is left out; the touches that are worked on are not.
    void clear() { waiting_.clear(); }

  private:
    using Item = std::variant<Touch, std::function<Work()>, std::function<void()>>;

    void add(Item item) {
        waiting_.push_back(std::move(item));
        next();
    }

    void next() {
        while (!working_ && !waiting_.empty()) {
            if (std::holds_alternative<Touch>(waiting_.front())) {
                work();
                continue;
            }
            const Item item = std::move(waiting_.front());
            waiting_.pop_front();
            if (const auto* begin = std::get_if<std::function<Work()>>(&item))
                controller_.guarded([&] { stroke_ = nullptr, stroke_ = (*begin)(); });
            else
                std::get<std::function<void()>>(item)();
        }
    }

    void work() {
        std::vector<Touch> touches;
        for (; !waiting_.empty() && std::holds_alternative<Touch>(waiting_.front()); waiting_.pop_front())
            touches.push_back(std::move(std::get<Touch>(waiting_.front())));
        if (!stroke_) return;
        working_ = true;
        controller_.runOnBrushes(
            owner_,
            [stroke = stroke_, touches = std::move(touches)](Progress& progress) {
                return stroke(touches, progress);
            },
            [this](const Made& made) {
                working_ = false;
                made_(made);
                next();
            },
            [this] {  // it could not: the rest of the stroke neither
                working_ = false;
                stroke_ = nullptr;
                next();
            });
    }

    Controller& controller_;
    QObject* owner_;
    std::function<void(const Made&)> made_;
    Work stroke_;
    std::deque<Item> waiting_;
    bool working_ = false;
};

}  // namespace ovrix::app
