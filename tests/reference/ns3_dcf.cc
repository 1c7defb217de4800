// Saturated 802.11a stations on one channel, for tests/core/test_contention_against_bianchi.py.
// Built and run as README.md beside it says, with ns-3.37 from Debian's libns3-dev.
// Prints: stations, total goodput in Mb/s of 1500-byte frames at 54 Mb/s, acknowledged at 24 Mb/s.
#include "ns3/applications-module.h"
#include "ns3/core-module.h"
#include "ns3/internet-module.h"
#include "ns3/mobility-module.h"
#include "ns3/network-module.h"
#include "ns3/wifi-module.h"
#include <cstdio>
using namespace ns3;

static double Run(uint32_t stations, uint32_t run)
{
    RngSeedManager::SetSeed(1);
    RngSeedManager::SetRun(run);
    NodeContainer sta, ap;
    sta.Create(stations);
    ap.Create(1);
    YansWifiChannelHelper channel = YansWifiChannelHelper::Default();
    YansWifiPhyHelper phy;
    phy.SetChannel(channel.Create());
    WifiHelper wifi;
    wifi.SetStandard(WIFI_STANDARD_80211a);
    wifi.SetRemoteStationManager("ns3::ConstantRateWifiManager", "DataMode", StringValue("OfdmRate54Mbps"),
                                 "ControlMode", StringValue("OfdmRate24Mbps"));
    WifiMacHelper mac;
    Ssid ssid("reference");
    mac.SetType("ns3::StaWifiMac", "Ssid", SsidValue(ssid), "QosSupported", BooleanValue(false));
    NetDeviceContainer devices = wifi.Install(phy, mac, sta);
    mac.SetType("ns3::ApWifiMac", "Ssid", SsidValue(ssid), "QosSupported", BooleanValue(false));
    NetDeviceContainer apDevice = wifi.Install(phy, mac, ap);
    MobilityHelper mobility;
    Ptr<ListPositionAllocator> at = CreateObject<ListPositionAllocator>();
    for (uint32_t i = 0; i < stations; i++)
        at->Add(Vector(std::cos(2 * M_PI * i / stations), std::sin(2 * M_PI * i / stations), 0));
    at->Add(Vector(0, 0, 0));
    mobility.SetPositionAllocator(at);
    mobility.SetMobilityModel("ns3::ConstantPositionMobilityModel");
    mobility.Install(sta);
    mobility.Install(ap);
    PacketSocketHelper sockets;
    sockets.Install(sta);
    sockets.Install(ap);
    ApplicationContainer sinks;
    for (uint32_t i = 0; i < stations; i++)
    {
        PacketSocketAddress to;
        to.SetSingleDevice(devices.Get(i)->GetIfIndex());
        to.SetPhysicalAddress(apDevice.Get(0)->GetAddress());
        to.SetProtocol(1);
        Ptr<PacketSocketClient> client = CreateObject<PacketSocketClient>();
        client->SetAttribute("PacketSize", UintegerValue(1500));
        client->SetAttribute("MaxPackets", UintegerValue(0));
        client->SetAttribute("Interval", TimeValue(MicroSeconds(200)));
        client->SetRemote(to);
        sta.Get(i)->AddApplication(client);
        client->SetStartTime(Seconds(1.0 + 0.001 * i));
    }
    PacketSocketAddress here;
    here.SetSingleDevice(apDevice.Get(0)->GetIfIndex());
    here.SetProtocol(1);
    Ptr<PacketSocketServer> server = CreateObject<PacketSocketServer>();
    server->SetLocal(here);
    ap.Get(0)->AddApplication(server);
    static uint64_t bytes;
    bytes = 0;
    server->TraceConnectWithoutContext("Rx", MakeCallback(+[](Ptr<const Packet> p, const Address&) {
        if (Simulator::Now() >= Seconds(2.0)) bytes += p->GetSize();
    }));
    Simulator::Stop(Seconds(7.0));
    Simulator::Run();
    Simulator::Destroy();
    return bytes * 8.0 / 5.0 / 1e6;
}

int main()
{
    for (uint32_t n : {1, 2, 3, 5, 10, 20})
    {
        double sum = 0;
        for (uint32_t run = 1; run <= 3; run++) sum += Run(n, run);
        std::printf("%u %.3f\n", n, sum / 3);
        std::fflush(stdout);
    }
}
