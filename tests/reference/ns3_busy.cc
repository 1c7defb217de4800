// How busy access points of neighbouring households find one channel, for tests/core/test_sent_airtime.py: 802.11a at
// 54 Mb/s (control frames at 24), one station beside each, constant traffic down. Built and run as README.md beside it
// says, with ns-3.37 from Debian's libns3-dev. The first access point is the household's own and stands at the origin.
// Prints for each access point: scene, x and y in m, share of the second that its cell sends, share in which the
// access point finds the channel busy (sending, receiving or sensing energy).
#include "ns3/applications-module.h"
#include "ns3/core-module.h"
#include "ns3/internet-module.h"
#include "ns3/mobility-module.h"
#include "ns3/network-module.h"
#include "ns3/wifi-module.h"
#include <cstdio>
#include <random>
#include <vector>
using namespace ns3;

static const double FROM_S = 1.0, TO_S = 4.0;

// How long a device was in each state within the time that counts, in s.
struct Watch
{
    double sent = 0, busy = 0;
    void State(Time start, Time duration, WifiPhyState state)
    {
        double a = std::max(start.GetSeconds(), FROM_S), b = std::min((start + duration).GetSeconds(), TO_S);
        if (b <= a || state == WifiPhyState::IDLE)
            return;
        busy += b - a;
        if (state == WifiPhyState::TX)
            sent += b - a;
    }
};

static void Run(int scene)
{
    RngSeedManager::SetSeed(1);
    RngSeedManager::SetRun(scene);
    std::mt19937 draw(100 + scene);
    auto uniform = [&](double low, double high) { return low + (high - low) * (draw() / 4294967296.0); };
    int cells = 3 + scene % 4;
    std::vector<Vector> at;
    std::vector<double> mbps;
    for (int i = 0; i < cells; i++)
    {
        double way = uniform(8, 32), angle = uniform(0, 2 * M_PI);
        at.push_back(i == 0 ? Vector(0, 0, 0) : Vector(way * std::cos(angle), way * std::sin(angle), 0));
        mbps.push_back(uniform(0.5, 9));
    }
    NodeContainer aps, stas;
    aps.Create(cells);
    stas.Create(cells);
    YansWifiChannelHelper channel;
    channel.SetPropagationDelay("ns3::ConstantSpeedPropagationDelayModel");
    channel.AddPropagationLoss("ns3::LogDistancePropagationLossModel", "Exponent", DoubleValue(3.5),
                               "ReferenceLoss", DoubleValue(46.7));
    YansWifiPhyHelper phy;
    phy.SetChannel(channel.Create());
    phy.Set("TxPowerStart", DoubleValue(20));
    phy.Set("TxPowerEnd", DoubleValue(20));
    WifiHelper wifi;
    wifi.SetStandard(WIFI_STANDARD_80211a);
    wifi.SetRemoteStationManager("ns3::ConstantRateWifiManager", "DataMode", StringValue("OfdmRate54Mbps"),
                                 "ControlMode", StringValue("OfdmRate24Mbps"));
    NetDeviceContainer apDevices, staDevices;
    for (int i = 0; i < cells; i++)
    {
        WifiMacHelper mac;
        Ssid ssid("cell" + std::to_string(i));
        mac.SetType("ns3::StaWifiMac", "Ssid", SsidValue(ssid));
        staDevices.Add(wifi.Install(phy, mac, stas.Get(i)));
        mac.SetType("ns3::ApWifiMac", "Ssid", SsidValue(ssid));
        apDevices.Add(wifi.Install(phy, mac, aps.Get(i)));
    }
    MobilityHelper mobility;
    Ptr<ListPositionAllocator> where = CreateObject<ListPositionAllocator>();
    for (auto& v : at)
        where->Add(v);
    for (auto& v : at)
        where->Add(Vector(v.x + 1.5, v.y, 0));
    mobility.SetPositionAllocator(where);
    mobility.SetMobilityModel("ns3::ConstantPositionMobilityModel");
    mobility.Install(aps);
    mobility.Install(stas);
    InternetStackHelper stack;
    stack.Install(aps);
    stack.Install(stas);
    std::vector<Watch> apWatch(cells), staWatch(cells);
    for (int i = 0; i < cells; i++)
    {
        Ipv4AddressHelper address;
        address.SetBase(("10.1." + std::to_string(i + 1) + ".0").c_str(), "255.255.255.0");
        Ipv4InterfaceContainer sta = address.Assign(staDevices.Get(i));
        address.Assign(apDevices.Get(i));
        OnOffHelper source("ns3::UdpSocketFactory", InetSocketAddress(sta.GetAddress(0), 9));
        source.SetConstantRate(DataRate(uint64_t(mbps[i] * 1e6)), 1400);
        auto app = source.Install(aps.Get(i));
        app.Start(Seconds(0.5 + 0.01 * i));
        app.Stop(Seconds(TO_S));
        for (auto& [device, watch] : {std::pair(apDevices.Get(i), &apWatch[i]), std::pair(staDevices.Get(i), &staWatch[i])})
            DynamicCast<WifiNetDevice>(device)->GetPhy()->GetState()->TraceConnectWithoutContext(
                "State", MakeCallback(&Watch::State, watch));
    }
    Simulator::Stop(Seconds(TO_S + 0.1));
    Simulator::Run();
    for (int i = 0; i < cells; i++)
        printf("%d %.2f %.2f %.4f %.4f\n", scene, at[i].x, at[i].y,
               (apWatch[i].sent + staWatch[i].sent) / (TO_S - FROM_S), apWatch[i].busy / (TO_S - FROM_S));
    Simulator::Destroy();
}

int main()
{
    for (int scene = 0; scene < 24; scene++)
        Run(scene);
}
