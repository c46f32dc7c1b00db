// The denoiser's network on oneDNN: the part of denoiser.h that takes it, which is loaded when it is first
// asked for.
#include <omp.h>
#include <sys/mman.h>
#include <tbb/global_control.h>

#include <array>
#include <oneapi/dnnl/dnnl.hpp>

#include "base/error.h"
#include "base/parallel.h"
#include "io/denoiser/denoiser_library.h"

namespace ovrix::io {

namespace {

using dnnl::memory;
using Dims = memory::dims;

/// Memory for what lies between layers; what is let go is taken again by what is about as large, and given
/// back before more is taken.
class Scratch {
  public:
    std::shared_ptr<void> take(size_t bytes) {
        const auto best = free_.lower_bound(bytes);
        if (best != free_.end() && best->first <= 2 * bytes) {
            const size_t size = best->first;
            void* p = best->second.release();
            free_.erase(best);
            return lend(p, size);
        }
        free_.clear();
        // Large ones lie on large pages, which the system gives much quicker.
        constexpr size_t kLine = 64, kLargePage = size_t(1) << 21;
        const size_t align = bytes >= 2 * kLargePage ? kLargePage : kLine;
        const size_t size = (bytes + align - 1) / align * align;
        void* p = std::aligned_alloc(align, size);
        if (!p) throw std::bad_alloc();
        if (align == kLargePage) madvise(p, size, MADV_HUGEPAGE);  // where it can
        return lend(p, size);
    }

  private:
    struct Free {
        void operator()(void* p) const { std::free(p); }
    };
    std::shared_ptr<void> lend(void* p, size_t size) {
        return {p, [this, size](void* back) { free_.emplace(size, std::unique_ptr<void, Free>(back)); }};
    }
    std::multimap<size_t, std::unique_ptr<void, Free>> free_;
};

/// A picture of many planes between two layers.
struct Planes {
    memory data;
    std::shared_ptr<void> holds;
    Dims sizes() const { return data.get_desc().dims(); }
};

struct Convolution {
    memory weights, bias;
    int out = 0;  ///< planes that it makes
};

/// The sizes of a U-shaped network: Ronneberger, Fischer, Brox, "U-Net: Convolutional Networks for Biomedical
/// Image Segmentation", MICCAI 2015, doi:10.1007/978-3-319-24574-4_28.
class Unet : public render::DenoiserNetwork {
  public:
    explicit Unet(const Tensors& tensors) : engine_(dnnl::engine::kind::cpu, 0) {
        int planes = planes_ = planesOf(tensors);
        std::array<int, 4> joined{planes, 0, 0, 0};  // planes of what is joined on the way up
        const auto add = [&](const char* name) { planes = read(tensors, name, planes); };
        add("enc_conv0"), add("enc_conv1"), joined[1] = planes;
        add("enc_conv2"), joined[2] = planes;
        add("enc_conv3"), joined[3] = planes;
        add("enc_conv4"), add("enc_conv5a"), add("enc_conv5b");
        planes += joined[3], add("dec_conv4a"), add("dec_conv4b");
        planes += joined[2], add("dec_conv3a"), add("dec_conv3b");
        planes += joined[1], add("dec_conv2a"), add("dec_conv2b");
        planes += joined[0], add("dec_conv1a"), add("dec_conv1b"), add("dec_conv0");
        if (planes != 3) throw Error("gives " + std::to_string(planes) + " planes, and not 3");
    }

    int planes() const override { return planes_; }
    void run(std::span<const float> in, int width, int height, std::span<float> out,
             base::Progress& progress) const override;

  private:
    class Run;
    static int planesOf(const Tensors& tensors);
    int read(const Tensors& tensors, const std::string& name, int planes);

    int planes_ = kPlanes;
    dnnl::engine engine_;
    std::map<std::string, Convolution> layers_;
};

const Tensor& tensorOf(const Tensors& tensors, const std::string& name, const std::string& layout) {
    const auto it = tensors.find(name);
    if (it == tensors.end()) throw Error("is a network without \"" + name + "\"");
    if (it->second.layout != layout) throw Error("has \"" + name + "\" in an order that is not known");
    return it->second;
}

memory memoryOf(const Tensor& t, memory::format_tag order, const dnnl::engine& engine) {
    memory m({Dims(t.sizes.begin(), t.sizes.end()), memory::data_type::f32, order}, engine);
    std::copy(t.values.begin(), t.values.end(), static_cast<float*>(m.get_data_handle()));
    return m;
}

/// That the first layer takes.
int Unet::planesOf(const Tensors& tensors) {
    const int planes = tensorOf(tensors, "enc_conv0.weight", "oihw").sizes[1];
    if (planes != 3 && planes != kPlanes)
        throw Error("takes " + std::to_string(planes) + " planes, and not 3 or 9");
    return planes;
}

/// Gives the planes that the layer makes.
int Unet::read(const Tensors& tensors, const std::string& name, int planes) {
    const Tensor& w = tensorOf(tensors, name + ".weight", "oihw");
    const Tensor& b = tensorOf(tensors, name + ".bias", "x");
    if (w.sizes[1] != planes || w.sizes[2] != 3 || w.sizes[3] != 3 || b.sizes[0] != w.sizes[0])
        throw Error("has \"" + name + "\" in sizes that do not fit");
    layers_[name] = {.weights = memoryOf(w, memory::format_tag::oihw, engine_),
                     .bias = memoryOf(b, memory::format_tag::x, engine_),
                     .out = w.sizes[0]};
    return w.sizes[0];
}

/// How planes lie in memory, whichever the library is quickest with here: pictures of so many planes side by
/// side at each pixel, one picture after the other.
struct Order {
    memory::format_tag tag;
    int side;  ///< 0 for all planes
};
constexpr Order kOrders[] = {{memory::format_tag::nhwc, 0},
                             {memory::format_tag::nChw16c, 16},
                             {memory::format_tag::nChw8c, 8},
                             {memory::format_tag::nchw, 1}};

/// Null for another order.
const Order* orderOf(const memory::desc& desc) {
    for (const Order& order : kOrders)
        if (desc == memory::desc(desc.dims(), memory::data_type::f32, order.tag)) return &order;
    return nullptr;
}

/// One picture on its way through the network.
class Unet::Run {
  public:
    Run(const Unet& net, base::Progress& progress) : net_(net), progress_(progress), stream_(net.engine_) {}

    /// What is no longer needed is let go at each line.
    void through(std::span<const float> in, int width, int height, std::span<float> out) {
        const Planes first = input(in, width, height);
        const Planes half = pooled(convolve(entered(first), "enc_conv1"));
        const Planes quarter = pooled(convolve(half, "enc_conv2"));
        const Planes eighth = pooled(convolve(quarter, "enc_conv3"));
        Planes p = pooled(convolve(eighth, "enc_conv4"));
        p = convolve(convolve(p, "enc_conv5a"), "enc_conv5b");
        p = convolve(joined(p, eighth, "dec_conv4a"), "dec_conv4b");
        p = convolve(joined(p, quarter, "dec_conv3a"), "dec_conv3b");
        p = convolve(joined(p, half, "dec_conv2a"), "dec_conv2b");
        p = convolve(joined(p, first, "dec_conv1a"), "dec_conv1b");
        output(convolve(p, "dec_conv0", false), width, height, out);
    }

  private:
    /// Planes of nothing fill it up to whole eights where old processors have no quick way without; on others
    /// they take memory alone.
    Planes input(std::span<const float> values, int width, int height) {
        const Dims sizes{1, filledUp(net_.planes_), height, width};
        Planes p = make({sizes, memory::data_type::f32, memory::format_tag::nchw});
        auto* to = static_cast<float*>(p.data.get_data_handle());
        std::copy(values.begin(), values.end(), to);
        std::fill(to + values.size(), to + sizes[1] * sizes[2] * sizes[3], 0.0f);
        return p;
    }
    static int filledUp(int planes) {
        static const bool old = dnnl::get_effective_cpu_isa() == dnnl::cpu_isa::sse41 ||
                                dnnl::get_effective_cpu_isa() == dnnl::cpu_isa::avx;
        return old ? (planes + 7) / 8 * 8 : planes;
    }

    void output(const Planes& p, int width, int height, std::span<float> out) {
        memory plain({{1, 3, height, width}, memory::data_type::f32, memory::format_tag::nchw}, net_.engine_,
                     out.data());
        memory made = p.data;  // shares it: the library takes no const
        dnnl::reorder(made, plain).execute(stream_, made, plain);
        stream_.wait();
    }

    Planes convolve(const Planes& in, const char* name, bool cut = true) {
        const Convolution& layer = net_.layers_.at(name);
        return convolve(in, {.weights = layer.weights, .bias = &layer.bias, .out = layer.out, .cut = cut});
    }

    struct Layer {
        memory weights;                ///< for as many planes as there are
        const memory* bias = nullptr;  ///< null for none
        int out = 0;
        bool cut = true;                       ///< at 0, below
        const Planes* onto = nullptr;          ///< what it is added to; null for nothing
        Dims before = {1, 1}, after = {1, 1};  ///< rows and columns of 0 about the picture
    };
    Planes convolve(const Planes& in, const Layer& layer) {
        progress_.check();
        const Dims sizes = in.sizes();
        const auto ofType = [](const Dims& dims, memory::format_tag order) {
            return memory::desc(dims, memory::data_type::f32, order);
        };
        const Dims made{sizes[0], layer.out, sizes[2], sizes[3]};
        // The direct one, whatever the size: quicker ones for some sizes round otherwise.
        const dnnl::convolution_forward::desc what(
            dnnl::prop_kind::forward_inference, dnnl::algorithm::convolution_direct,
            ofType(sizes, memory::format_tag::any),
            ofType(layer.weights.get_desc().dims(), memory::format_tag::any),
            layer.bias ? layer.bias->get_desc() : memory::desc(),
            layer.onto ? layer.onto->data.get_desc() : ofType(made, memory::format_tag::any), {1, 1},
            layer.before, layer.after);
        dnnl::post_ops then;
        if (layer.onto) then.append_sum(1.0f);
        if (layer.cut) then.append_eltwise(1.0f, dnnl::algorithm::eltwise_relu, 0.0f, 0.0f);
        dnnl::primitive_attr attributes;
        attributes.set_post_ops(then);
        const dnnl::convolution_forward::primitive_desc how(what, attributes, net_.engine_);
        const Planes from = ordered(in, how.src_desc());
        Planes out = layer.onto ? *layer.onto : make(how.dst_desc());
        std::unordered_map<int, memory> with{
            {DNNL_ARG_SRC, from.data},
            {DNNL_ARG_WEIGHTS, orderedWeights(layer.weights, how.weights_desc())},
            {DNNL_ARG_DST, out.data}};
        if (layer.bias) with[DNNL_ARG_BIAS] = *layer.bias;
        run(dnnl::convolution_forward(how), with);
        return out;
    }

    Planes entered(const Planes& first) {
        const Convolution& layer = net_.layers_.at("enc_conv0");
        return convolve(first,
                        {.weights = part(layer, 0, net_.planes_), .bias = &layer.bias, .out = layer.out});
    }

    /// Half as wide and high, each the largest of four.
    Planes pooled(const Planes& in) {
        Dims sizes = in.sizes();
        sizes[2] /= 2, sizes[3] /= 2;
        const dnnl::pooling_forward::desc what(
            dnnl::prop_kind::forward_inference, dnnl::algorithm::pooling_max, in.data.get_desc(),
            {sizes, memory::data_type::f32, memory::format_tag::any}, {2, 2}, {2, 2}, {0, 0}, {0, 0});
        const dnnl::pooling_forward::primitive_desc how(what, net_.engine_);
        Planes to = make(how.dst_desc());
        run(dnnl::pooling_forward(how), {{DNNL_ARG_SRC, in.data}, {DNNL_ARG_DST, to.data}});
        return to;
    }

    /// A layer over what is made twice as wide and high, with the planes of @p beside after its own. Neither
    /// is made. Of four pixels that show one alike, three rows of weights meet two of what is there, and
    /// those that meet the same add up: so each of the four is a layer of 2 x 2 over the small picture, which
    /// takes less than half of the work and memory. What stands beside is added to that.
    Planes joined(const Planes& in, const Planes& beside, const char* name) {
        const Convolution& layer = net_.layers_.at(name);
        const int own = int(in.sizes()[1]), more = int(layer.weights.get_desc().dims()[1]) - own;
        Dims large = in.sizes();
        large[1] = layer.out, large[2] *= 2, large[3] *= 2;
        Planes sum;
        const Order* order = nullptr;
        for (const int y : {0, 1})
            for (const int x : {0, 1}) {
                Planes quarter = convolve(in, {.weights = folded(layer, own, y, x),
                                               .bias = &layer.bias,
                                               .out = layer.out,
                                               .cut = false,
                                               .before = {1 - y, 1 - x},
                                               .after = {y, x}});
                if (!order) {
                    const Order* known = orderOf(quarter.data.get_desc());
                    order = known ? known : &kOrders[0];
                    sum = make({large, memory::data_type::f32, order->tag});
                }
                quarter = ordered(quarter, {quarter.sizes(), memory::data_type::f32, order->tag});
                putQuarter(quarter, *order, y, x, sum);
            }
        return convolve(beside, {.weights = part(layer, own, more), .out = layer.out, .onto = &sum});
    }

    /// Each second pixel, from (x, y) on.
    static void putQuarter(const Planes& quarter, const Order& order, int y, int x, const Planes& to) {
        const Dims sizes = quarter.sizes();
        const auto planes = size_t(sizes[1]), height = size_t(sizes[2]), width = size_t(sizes[3]);
        const size_t side = order.side ? size_t(order.side) : planes, pictures = (planes + side - 1) / side;
        const auto* from = static_cast<const float*>(quarter.data.get_data_handle());
        auto* out = static_cast<float*>(to.data.get_data_handle());
        base::parallelRanges(pictures * height, 8, base::Progress::none(), [&](size_t begin, size_t end) {
            for (size_t row = begin; row < end; ++row)  // of all pictures, one below the other
                for (size_t i = 0; i < width; ++i)
                    std::copy_n(from + (row * width + i) * side, side,
                                out + ((2 * row + size_t(y)) * 2 * width + 2 * i + size_t(x)) * side);
        });
    }

    memory weightsOf(const Dims& sizes) {
        return {{sizes, memory::data_type::f32, memory::format_tag::oihw}, net_.engine_};
    }

    /// A layer's weights for some of its planes, and none for those that fill them up.
    memory part(const Convolution& layer, int first, int count) {
        const Dims all = layer.weights.get_desc().dims();
        const int filled = filledUp(count);
        memory out = weightsOf({all[0], filled, 3, 3});
        const auto* from = static_cast<const float*>(layer.weights.get_data_handle());
        auto* to = static_cast<float*>(out.get_data_handle());
        std::fill_n(to, size_t(all[0] * filled) * 9, 0.0f);
        for (size_t o = 0; o < size_t(all[0]); ++o)
            std::copy_n(from + (o * size_t(all[1]) + size_t(first)) * 9, size_t(count) * 9,
                        to + o * size_t(filled) * 9);
        return out;
    }

    /// Those for the first planes, as they meet the small picture for pixels at (x, y) of four.
    memory folded(const Convolution& layer, int count, int y, int x) {
        const Dims all = layer.weights.get_desc().dims();
        memory out = weightsOf({all[0], count, 2, 2});
        const auto* from = static_cast<const float*>(layer.weights.get_data_handle());
        auto* to = static_cast<float*>(out.get_data_handle());
        // The first pixel of two has one row of weights before it and two on it, the second the other way.
        const auto at = [](int second, int weight) { return second ? weight / 2 : (weight + 1) / 2; };
        for (size_t o = 0; o < size_t(all[0]); ++o)
            for (size_t p = 0; p < size_t(count); ++p) {
                const float* in = from + (o * size_t(all[1]) + p) * 9;
                float* sum = to + (o * size_t(count) + p) * 4;
                std::fill_n(sum, 4, 0.0f);
                for (int j = 0; j < 3; ++j)
                    for (int i = 0; i < 3; ++i) sum[2 * at(y, j) + at(x, i)] += in[3 * j + i];
            }
        return out;
    }

    Planes make(const memory::desc& desc) {
        auto holds = scratch_.take(desc.get_size());
        return {memory(desc, net_.engine_, holds.get()), std::move(holds)};
    }

    Planes ordered(const Planes& in, const memory::desc& wanted) {
        if (in.data.get_desc() == wanted) return in;
        Planes to = make(wanted);
        run(dnnl::reorder(in.data, to.data), {{DNNL_ARG_FROM, in.data}, {DNNL_ARG_TO, to.data}});
        return to;
    }
    memory orderedWeights(const memory& in, const memory::desc& wanted) {
        if (in.get_desc() == wanted) return in;
        memory to(wanted, net_.engine_);
        run(dnnl::reorder(in, to), {{DNNL_ARG_FROM, in}, {DNNL_ARG_TO, to}});
        return to;
    }

    /// Waits, so that what is let go may be taken again.
    void run(const dnnl::primitive& work, const std::unordered_map<int, memory>& with) {
        work.execute(stream_, with);
        stream_.wait();
    }

    const Unet& net_;
    base::Progress& progress_;
    dnnl::stream stream_;
    Scratch scratch_;
};

void Unet::run(std::span<const float> in, int width, int height, std::span<float> out,
               base::Progress& progress) const {
    // The library has threads of its own: as many as the program may take. It sets them for the thread that
    // asks, which gives them back.
    const int before = omp_get_max_threads();
    omp_set_num_threads(int(tbb::global_control::active_value(tbb::global_control::max_allowed_parallelism)));
    struct Restore {
        int threads;
        ~Restore() { omp_set_num_threads(threads); }
    } const restore{before};
    try {
        Run(*this, progress).through(in, width, height, out);
    } catch (const dnnl::error& e) {
        if (e.status == dnnl_out_of_memory) throw std::bad_alloc();
        base::logDetail("the denoiser", e.what());
        throw Error("the picture could not be denoised", {}, "Render without denoising");
    }
}

std::shared_ptr<const render::DenoiserNetwork> makeUnet(const Tensors& tensors) {
    try {
        return std::make_shared<Unet>(tensors);
    } catch (const dnnl::error& e) {
        base::logDetail("the denoiser", e.what());
        throw Error("is a network that cannot be run here");
    }
}

}  // namespace

}  // namespace ovrix::io

extern "C" {
extern const ovrix::io::DenoiserLibrary ovrixDenoiser;
const ovrix::io::DenoiserLibrary ovrixDenoiser = {ovrix::io::makeUnet};
}
