// USBTMC devices through libusb.
#include <fmt/core.h>
#include <libusb.h>

#include <optional>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/session/usb_pipe.hpp"
#include "lab/session/usb_stand_in.hpp"

namespace rt::lab {
namespace {

using std::chrono::milliseconds;

struct Context {
    libusb_context* it = nullptr;
    Context() {
        if (const int error = libusb_init(&it); error != 0)
            fail_bench(std::string("USB cannot be used: ") + libusb_strerror(error));
    }
    ~Context() { libusb_exit(it); }
    Context(const Context&) = delete;
    Context& operator=(const Context&) = delete;
};

// The interface of class 0xFE, subclass 3 (USBTMC, 5.5), and its endpoints.
struct Interface {
    int number = -1;
    unsigned char out = 0, in = 0, interrupt = 0;
};

std::optional<Interface> usbtmc_interface(libusb_device* device) {
    libusb_config_descriptor* config = nullptr;
    if (libusb_get_active_config_descriptor(device, &config) != 0) return std::nullopt;
    const std::unique_ptr<libusb_config_descriptor, decltype(&libusb_free_config_descriptor)> held(
        config, &libusb_free_config_descriptor);
    for (int i = 0; i < config->bNumInterfaces; ++i) {
        if (config->interface[i].num_altsetting < 1) continue;
        const auto& one = config->interface[i].altsetting[0];
        if (one.bInterfaceClass != 0xfe || one.bInterfaceSubClass != 3) continue;
        Interface out;
        out.number = one.bInterfaceNumber;
        for (int k = 0; k < one.bNumEndpoints; ++k) {
            const auto& end = one.endpoint[k];
            const bool in = end.bEndpointAddress & LIBUSB_ENDPOINT_IN;
            if ((end.bmAttributes & 3) == LIBUSB_TRANSFER_TYPE_INTERRUPT && in)
                out.interrupt = end.bEndpointAddress;
            if ((end.bmAttributes & 3) == LIBUSB_TRANSFER_TYPE_BULK)
                (in ? out.in : out.out) = end.bEndpointAddress;
        }
        if (out.in && out.out) return out;
    }
    return std::nullopt;
}

std::string text_of(libusb_device_handle* handle, unsigned char index) {
    unsigned char text[256];
    const int size = index ? libusb_get_string_descriptor_ascii(handle, index, text, sizeof text) : 0;
    return size > 0 ? std::string(reinterpret_cast<char*>(text), static_cast<std::size_t>(size)) : "";
}

// Every USBTMC device: what it is, and a way to open it.
struct Found {
    libusb_device* device;
    Interface interface;
    std::uint16_t vendor, product;
    std::string serial, name;
};

std::vector<Found> all_devices(libusb_device** list) {
    std::vector<Found> out;
    for (libusb_device** at = list; at && *at; ++at) {
        libusb_device_descriptor about{};
        if (libusb_get_device_descriptor(*at, &about) != 0) continue;
        const auto interface = usbtmc_interface(*at);
        if (!interface) continue;
        Found found{*at, *interface, about.idVendor, about.idProduct, "", ""};
        libusb_device_handle* handle = nullptr;
        if (libusb_open(*at, &handle) == 0) {
            found.serial = text_of(handle, about.iSerialNumber);
            found.name = text_of(handle, about.iManufacturer) + " " + text_of(handle, about.iProduct);
            libusb_close(handle);
        }
        out.push_back(std::move(found));
    }
    return out;
}

std::string address_of(const Found& found) {
    return fmt::format("usb:{:04x}:{:04x}{}", found.vendor, found.product,
                       found.serial.empty() ? "" : ":" + found.serial);
}

struct DeviceList {
    libusb_device** list = nullptr;
    explicit DeviceList(const Context& context) { libusb_get_device_list(context.it, &list); }
    ~DeviceList() {
        if (list) libusb_free_device_list(list, 1);
    }
    DeviceList(const DeviceList&) = delete;
    DeviceList& operator=(const DeviceList&) = delete;
};

class LibusbPipe : public UsbPipe {
  public:
    explicit LibusbPipe(const Address& address) : name_("instrument at " + address.text) {
        const DeviceList list(context_);
        std::vector<Found> fitting;
        for (auto& found : all_devices(list.list)) {
            const bool same = found.vendor == address.vendor && found.product == address.product;
            if (same && (address.serial_number.empty() || found.serial == address.serial_number))
                fitting.push_back(std::move(found));
        }
        if (fitting.empty()) fail_bench(name_ + ": no such device is connected");
        if (fitting.size() > 1)
            fail_bench(name_ + ": several such devices are connected: add a serial number, " +
                       address_of(fitting[0]));
        interface_ = fitting[0].interface;
        require(libusb_open(fitting[0].device, &handle_), "opening it");
        libusb_set_auto_detach_kernel_driver(handle_, 1);
        require(libusb_claim_interface(handle_, interface_.number), "claiming it");
    }
    ~LibusbPipe() override {
        if (!handle_) return;
        libusb_release_interface(handle_, interface_.number);
        libusb_close(handle_);
    }
    LibusbPipe(const LibusbPipe&) = delete;
    LibusbPipe& operator=(const LibusbPipe&) = delete;

    std::string name() const override { return name_; }

    bool out(std::string_view bytes, milliseconds timeout) override {
        std::string data(bytes);
        int done = 0;
        const int error =
            libusb_bulk_transfer(handle_, interface_.out, reinterpret_cast<unsigned char*>(data.data()),
                                 static_cast<int>(data.size()), &done, wait(timeout));
        if (error == LIBUSB_ERROR_TIMEOUT) return false;
        require(error, "sending");
        return done == static_cast<int>(data.size());
    }

    std::string in(std::size_t most, milliseconds timeout) override {
        // Whole packets, so that a device that sends more than asked for is noticed and nothing overflows.
        constexpr std::size_t packet = 1024;
        return transfer(interface_.in, (most + packet - 1) / packet * packet, timeout, true);
    }

    std::string control(const Request& request, milliseconds timeout) override {
        const bool end = request.target != Target::interface;
        // Class requests from the device to the host (USB 2.0, 9.3).
        constexpr std::uint8_t to_interface = 0xa1, to_endpoint = 0xa2;
        const std::uint8_t type = end ? to_endpoint : to_interface;
        const auto index =
            static_cast<std::uint16_t>(request.target == Target::bulk_in    ? interface_.in
                                       : request.target == Target::bulk_out ? interface_.out
                                                                            : interface_.number);
        std::string data(request.length, '\0');
        const int size = libusb_control_transfer(handle_, type, request.number, request.value, index,
                                                 reinterpret_cast<unsigned char*>(data.data()),
                                                 request.length, wait(timeout));
        // A request that a device does not know stalls.
        if (size == LIBUSB_ERROR_TIMEOUT || size == LIBUSB_ERROR_PIPE) return {};
        if (size < 0) require(size, "a request");
        data.resize(static_cast<std::size_t>(size));
        return data;
    }

    std::string notification(milliseconds timeout) override {
        return interface_.interrupt ? transfer(interface_.interrupt, 2, timeout, false) : "";
    }

  private:
    static unsigned wait(milliseconds timeout) {
        return static_cast<unsigned>(std::max<long long>(timeout.count(), 1));
    }
    void require(int error, const char* doing) const {
        if (error != 0) fail_bench(name_ + ": " + libusb_strerror(error) + " (" + doing + ")");
    }
    std::string transfer(unsigned char end, std::size_t most, milliseconds timeout, bool bulk) {
        std::string data(most, '\0');
        int done = 0;
        auto* bytes = reinterpret_cast<unsigned char*>(data.data());
        const int error =
            bulk ? libusb_bulk_transfer(handle_, end, bytes, static_cast<int>(most), &done, wait(timeout))
                 : libusb_interrupt_transfer(handle_, end, bytes, static_cast<int>(most), &done,
                                             wait(timeout));
        if (error != 0 && error != LIBUSB_ERROR_TIMEOUT) require(error, "reading");
        data.resize(static_cast<std::size_t>(done));
        return data;
    }

    Context context_;
    std::string name_;
    Interface interface_;
    libusb_device_handle* handle_ = nullptr;
};

}  // namespace

std::unique_ptr<UsbPipe> open_usb(const Address& address, milliseconds timeout) {
    if (!address.host.empty()) return std::make_unique<UsbStandIn>(address, timeout);
    return std::make_unique<LibusbPipe>(address);
}

std::vector<UsbInstrument> usb_instruments() {
    const Context context;
    const DeviceList list(context);
    std::vector<UsbInstrument> out;
    for (const auto& found : all_devices(list.list)) out.push_back({address_of(found), found.name});
    return out;
}

}  // namespace rt::lab
