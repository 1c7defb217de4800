// How long an answer takes while a phone downloads, over one hop by radio and over two on one channel, for
// tests/core/test_latency_against_ns3.py: 802.11ax at 5 GHz, 20 MHz, one stream at HE-MCS 7, bursts (A-MPDUs) of a
// given length, one or two of them waiting in a box behind FQ-CoDel. The phone downloads by TCP as fast as it gets and
// pings the router; a neighbouring network on the channel sends constant traffic. Built and run as README.md beside it
// says, with ns-3.37 from Debian's libns3-dev.
// Prints: scene, hops, length of a burst in ms, bursts in the box, share of the second that the neighbour's cell sends,
// answers, mean and median time to an answer in ms.
#include "ns3/applications-module.h"
#include "ns3/core-module.h"
#include "ns3/internet-apps-module.h"
#include "ns3/internet-module.h"
#include "ns3/mobility-module.h"
#include "ns3/network-module.h"
#include "ns3/traffic-control-module.h"
#include "ns3/wifi-module.h"
#include <algorithm>
#include <cstdio>
#include <vector>
using namespace ns3;

static const double FROM_S = 1.0, TO_S = 9.0;
static const double PHY_MBPS = 86.0, PACKET = 1400;

struct Watch
{
    double sent = 0;
    void State(Time start, Time duration, WifiPhyState state)
    {
        double a = std::max(start.GetSeconds(), FROM_S), b = std::min((start + duration).GetSeconds(), TO_S);
        if (b > a && state == WifiPhyState::TX)
            sent += b - a;
    }
};

static std::vector<double> answers;
static void Rtt(Time rtt)
{
    if (Simulator::Now().GetSeconds() > FROM_S)
        answers.push_back(rtt.GetSeconds() * 1000);
}

static void Run(int scene, int hops, double burstMs, int queued, double neighbourMbps)
{
    RngSeedManager::SetSeed(1);
    RngSeedManager::SetRun(scene + 1);
    answers.clear();
    Config::SetDefault("ns3::TcpSocket::SegmentSize", UintegerValue(uint32_t(PACKET)));
    Config::SetDefault("ns3::TcpSocket::SndBufSize", UintegerValue(1 << 20));
    Config::SetDefault("ns3::TcpSocket::RcvBufSize", UintegerValue(1 << 20));
    uint32_t bytes = uint32_t(burstMs * PHY_MBPS * 1000 / 8);
    uint32_t packets = std::max(1u, uint32_t(bytes / (PACKET + 40)));
    Config::SetDefault("ns3::WifiMacQueue::MaxSize", QueueSizeValue(QueueSize(QueueSizeUnit::PACKETS, queued * packets)));
    // Router, then the relay where there is one, then the phone; the neighbour's two.
    NodeContainer way, next;
    way.Create(hops + 1);
    next.Create(2);
    YansWifiChannelHelper channel = YansWifiChannelHelper::Default();
    YansWifiPhyHelper phy;
    phy.SetChannel(channel.Create());
    phy.Set("ChannelSettings", StringValue("{36, 20, BAND_5GHZ, 0}"));
    WifiHelper wifi;
    wifi.SetStandard(WIFI_STANDARD_80211ax);
    wifi.SetRemoteStationManager("ns3::ConstantRateWifiManager", "DataMode", StringValue("HeMcs7"), "ControlMode",
                                 StringValue("OfdmRate24Mbps"));
    auto pair = [&](Ptr<Node> ap, Ptr<Node> sta, const char* name) {
        WifiMacHelper mac;
        mac.SetType("ns3::StaWifiMac", "Ssid", SsidValue(Ssid(name)), "BE_MaxAmpduSize", UintegerValue(bytes));
        NetDeviceContainer found = wifi.Install(phy, mac, sta);
        mac.SetType("ns3::ApWifiMac", "Ssid", SsidValue(Ssid(name)), "BE_MaxAmpduSize", UintegerValue(bytes));
        found.Add(wifi.Install(phy, mac, ap));
        return found;
    };
    std::vector<NetDeviceContainer> links;
    for (int h = 0; h < hops; h++)
        links.push_back(pair(way.Get(h), way.Get(h + 1), h ? "far" : "near"));
    NetDeviceContainer other = pair(next.Get(0), next.Get(1), "next");
    MobilityHelper mobility;
    Ptr<ListPositionAllocator> where = CreateObject<ListPositionAllocator>();
    for (int n = 0; n <= hops; n++)
        where->Add(Vector(3.0 * n, 0, 0));
    where->Add(Vector(1, 4, 0));
    where->Add(Vector(3, 4, 0));
    mobility.SetPositionAllocator(where);
    mobility.SetMobilityModel("ns3::ConstantPositionMobilityModel");
    mobility.Install(way);
    mobility.Install(next);
    InternetStackHelper stack;
    stack.Install(way);
    stack.Install(next);
    // Flows get their turns: a small queue to each, as good routers keep them.
    TrafficControlHelper control;
    control.SetRootQueueDisc("ns3::FqCoDelQueueDisc");
    for (auto& link : links)
        control.Install(link);
    control.Install(other);
    Ipv4AddressHelper address;
    std::vector<Ipv4InterfaceContainer> at;
    for (int h = 0; h < hops; h++)
    {
        address.SetBase(("10.1." + std::to_string(h + 1) + ".0").c_str(), "255.255.255.0");
        at.push_back(address.Assign(links[h]));
    }
    address.SetBase("10.2.1.0", "255.255.255.0");
    Ipv4InterfaceContainer beside = address.Assign(other);
    if (hops == 2)
    {
        // at[h]: the box farther from the router first, then the nearer one.
        Ipv4StaticRoutingHelper routing;
        auto table = [&](int n) { return routing.GetStaticRouting(way.Get(n)->GetObject<Ipv4>()); };
        table(0)->AddNetworkRouteTo("10.1.2.0", "255.255.255.0", at[0].GetAddress(0), 1);
        table(2)->SetDefaultRoute(at[1].GetAddress(1), 1);
    }
    BulkSendHelper bulk("ns3::TcpSocketFactory", InetSocketAddress(at[hops - 1].GetAddress(0), 9));
    auto app = bulk.Install(way.Get(0));
    app.Start(Seconds(0.6));
    app.Stop(Seconds(TO_S));
    PacketSinkHelper sink("ns3::TcpSocketFactory", InetSocketAddress(Ipv4Address::GetAny(), 9));
    sink.Install(way.Get(hops)).Start(Seconds(0.5));
    if (neighbourMbps > 0)
    {
        OnOffHelper traffic("ns3::UdpSocketFactory", InetSocketAddress(beside.GetAddress(0), 9));
        traffic.SetConstantRate(DataRate(uint64_t(neighbourMbps * 1e6)), uint32_t(PACKET));
        auto theirs = traffic.Install(next.Get(0));
        theirs.Start(Seconds(0.55));
        theirs.Stop(Seconds(TO_S));
    }
    V4PingHelper ping(at[0].GetAddress(1));
    ping.SetAttribute("Interval", TimeValue(MilliSeconds(53)));
    auto asks = ping.Install(way.Get(hops));
    asks.Start(Seconds(0.7));
    asks.Stop(Seconds(TO_S));
    asks.Get(0)->TraceConnectWithoutContext("Rtt", MakeCallback(&Rtt));
    Watch watch[2];
    for (int i = 0; i < 2; i++)
        DynamicCast<WifiNetDevice>(other.Get(i))->GetPhy()->GetState()->TraceConnectWithoutContext(
            "State", MakeCallback(&Watch::State, &watch[i]));
    Simulator::Stop(Seconds(TO_S + 0.2));
    Simulator::Run();
    std::sort(answers.begin(), answers.end());
    double sum = 0;
    for (double a : answers)
        sum += a;
    int count = int(answers.size());
    printf("%d %d %.2f %d %.3f %d %.2f %.2f\n", scene, hops, burstMs, queued,
           (watch[0].sent + watch[1].sent) / (TO_S - FROM_S), count, count ? sum / count : 0.0,
           count ? answers[count / 2] : 0.0);
    fflush(stdout);
    Simulator::Destroy();
}

int main(int argc, char** argv)
{
    // Each scene on its own where a number is given, so that several run at once.
    int scene = 0, only = argc > 1 ? atoi(argv[1]) : -1;
    for (int hops : {1, 2})
        for (double burst : {0.6, 1.2, 2.4})
            for (int queued : {1, 2})
                for (double mbps : {0.0, 10.0, 20.0, 30.0})
                {
                    if (only < 0 || only == scene)
                        Run(scene, hops, burst, queued, mbps);
                    scene++;
                }
}
